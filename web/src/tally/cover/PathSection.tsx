import { type UseQueryResult, useQuery } from "@tanstack/react-query";
import { fromToRoutes } from "@hindglance/contract/fromTo";
import { pathClasses } from "@hindglance/core/cover/pathClasses";
import { MOST_DATES, type CoverPaths, type PathClass } from "@hindglance/core/cover/paths";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import type { NodeView, Scene } from "../../api/types";
import { Section } from "../../frame/Section";
import { areaSaid, number } from "../../lib/format";
import { saveText } from "../../lib/save";
import { useSame } from "../../lib/useSame";
import { Button } from "../../ui/Button";
import { Problem, Warning } from "../../ui/Messages";
import { cx } from "../../ui/cx";
import type { FromToOnScreen } from "./useFromTo";

/** Paths that are listed; all are in the file. */
const LISTED = 24;

interface Answer {
  counted: CoverPaths;
  shown: NodeView | null;
}

/** The maps that paths go through, with their dates, and the classes that they have in common. */
function askOf({ covers, pair }: FromToOnScreen): { dates: Scene[]; classes: PathClass[] } {
  const dates = covers.filter(({ acquiredAt }) => acquiredAt).slice(0, MOST_DATES);
  const sideOf = (id: string) => {
    if (id === pair?.beforeId) {
      return "before" as const;
    }
    return id === pair?.afterId ? ("after" as const) : null;
  };
  const legends = dates.map(({ id, info }) => ({ legend: info?.classes ?? [], side: sideOf(id) }));
  return { dates, classes: pathClasses(pair?.classes ?? [], legends) };
}

/** What ground was on every classified date; nothing is asked where there are two. */
export function usePaths(
  studyId: string,
  shown: FromToOnScreen,
  picked: readonly number[] | null,
): { dates: Scene[]; classes: PathClass[]; query: UseQueryResult<Answer> } {
  const { dates, classes } = useSame(askOf(shown));
  const sceneIds = dates.map(({ id }) => id);
  const query = useQuery({
    queryKey: ["coverPaths", studyId, sceneIds, classes, picked],
    queryFn: () =>
      call(fromToRoutes.paths, {
        params: { id: studyId },
        body: { sceneIds, classes, path: picked && [...picked] },
      }),
    enabled: dates.length >= 3 && classes.length > 0,
    placeholderData: (previous: Answer | undefined) => previous,
    staleTime: Infinity,
    retry: false,
  });
  return { dates, classes, query };
}

/** Every path with its areas, one a line. */
function fileOf(dates: readonly Scene[], classes: readonly PathClass[], { paths }: CoverPaths) {
  const lines = paths.map(({ path, cells, areaM2 }) =>
    [...path.map((place) => classes[place]!.name), cells, areaM2 / 1e6].join(";"),
  );
  const head = [...dates.map(({ acquiredAt }) => acquiredAt!.slice(0, 10)), "cells", "km2"];
  return `${[head.join(";"), ...lines].join("\n")}\n`;
}

/** Classes of the dates that are in no path, in words. */
function leftOut(dates: readonly Scene[], classes: readonly PathClass[]): string[] {
  return dates.flatMap(({ name, info }, date) => {
    const used = new Set(classes.flatMap(({ labels }) => labels[date]!));
    const left = (info?.classes ?? []).filter(({ label }) => !used.has(label));
    return left.length > 0 ? [`${left.map((one) => one.name).join(", ")} of ${name}`] : [];
  });
}

interface Props {
  paths: ReturnType<typeof usePaths>;
  picked: readonly number[] | null;
  onPick(path: readonly number[] | null): void;
}

/** What became of ground through three and more dates: the path of each class, the largest first. */
export function PathSection({ paths: { dates, classes, query }, picked, onPick }: Props) {
  const { data, error } = query;
  if (dates.length < 3) {
    return null;
  }
  const left = leftOut(dates, classes);
  const changing = (data?.counted.paths ?? []).filter(({ path }) => new Set(path).size > 1);
  return (
    <Section title={`Through ${dates.length} dates`}>
      {left.length > 0 && <Warning>On no path: {left.join("; ")}.</Warning>}
      {error && <Problem>{sayError(error)}</Problem>}
      {!error && !data && <p className="text-soft">Following its ground …</p>}
      {data && (
        <>
          <p className="mb-1 text-label text-soft">
            {number(changing.length)} ways of changing
            {data.counted.level > 0 && ", counted on an overview"}, of{" "}
            {areaSaid(data.counted.areaM2)}
          </p>
          <ol aria-label="Paths" className="max-h-[220px] overflow-y-auto">
            {changing.slice(0, LISTED).map(({ path, areaM2 }) => {
              const isPicked = picked?.join() === path.join();
              return (
                <li key={path.join()}>
                  <button
                    type="button"
                    aria-pressed={isPicked}
                    onClick={() => onPick(isPicked ? null : path)}
                    className={cx(
                      "flex w-full justify-between gap-2 rounded-field px-2 py-0.5 text-left text-[12px]",
                      isPicked ? "bg-[#e2ece7]" : "hover:bg-bone",
                    )}
                  >
                    <span>{path.map((place) => classes[place]!.name).join(" → ")}</span>
                    <span className="shrink-0 font-mono">{areaSaid(areaM2)}</span>
                  </button>
                </li>
              );
            })}
          </ol>
          <Button
            className="mt-1.5"
            onClick={() =>
              saveText("cover_paths.csv", fileOf(dates, classes, data.counted), "text/csv")
            }
          >
            All paths as CSV
          </Button>
        </>
      )}
    </Section>
  );
}
