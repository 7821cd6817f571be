import { useState } from "react";
import { sayError } from "../../api/client";
import { Section } from "../../frame/Section";
import { bytes, number } from "../../lib/format";
import { Button } from "../../ui/Button";
import { Problem, Warning } from "../../ui/Messages";
import { type Found, totalBytes, useFetchItems, useFetching } from "./archive";
import { Fetching } from "./Fetching";
import { ItemRow } from "./ItemRow";
import type { ArchiveSearch } from "./useArchiveSearch";

const counted = (n: number, one: string, many: string): string =>
  `${number(n)} ${n === 1 ? one : many}`;

const WITHIN = { "study area": ", on the study area", scenes: ", where the scenes lie" };

function titleOf({ answers, found }: ArchiveSearch): string {
  const first = answers.data?.pages[0];
  if (answers.error || !first) {
    return "Results";
  }
  const more = answers.hasNextPage ? " so far" : "";
  const within = first.within ? WITHIN[first.within] : "";
  return `${counted(found.length, "result", "results")}${more}${within}`;
}

/** What the button under the results does, in words. */
function actText(kind: string, picked: Found[]): string {
  const size = bytes(totalBytes(picked));
  if (kind === "elevation") {
    return picked.length === 0
      ? "No elevation to fetch"
      : `Fetch elevation for this study, ${counted(picked.length, "tile", "tiles")}, ${size}`;
  }
  return picked.length === 0
    ? "Tick what to fetch"
    : `Fetch ${counted(picked.length, "product", "products")}, ${size}`;
}

/** What was found, with products to tick and elevation to take, and what is being fetched. */
export function Results({ studyId, search }: { studyId: string; search: ArchiveSearch }) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const fetching = useFetching(studyId);
  const fetchItems = useFetchItems(studyId);
  const { asked, answers, found } = search;
  const isElevation = asked.kind === "elevation";
  const picked = found.filter((item) => (isElevation ? !item.have : chosen.has(item.id)));
  const toggle = (id: string) =>
    setChosen(
      chosen.has(id) ? new Set([...chosen].filter((one) => one !== id)) : new Set(chosen).add(id),
    );
  return (
    <>
      {(answers.data || answers.error) && (
        <Section title={titleOf(search)}>
          <Answer search={search} />
          <ul className="-mx-1">
            {found.map((item) => (
              <ItemRow
                key={item.id}
                item={item}
                chosen={chosen.has(item.id)}
                toggle={() => toggle(item.id)}
                pointed={search.pointed === item.id}
                point={search.setPointed}
              />
            ))}
          </ul>
          {answers.hasNextPage && (
            <Button
              tone="quiet"
              className="mt-1"
              disabled={answers.isFetching}
              onClick={() => void answers.fetchNextPage()}
            >
              Show more
            </Button>
          )}
        </Section>
      )}
      <Fetching runs={fetching} />
      <div className="sticky bottom-0 border-t border-line bg-paper px-4 py-3">
        <Button
          tone="act"
          className="w-full"
          disabled={picked.length === 0 || fetchItems.isPending || fetching.length > 0}
          onClick={() =>
            fetchItems.mutate(
              { kind: asked.kind, items: picked },
              { onSuccess: () => setChosen(new Set()) },
            )
          }
        >
          {actText(asked.kind, picked)}
        </Button>
      </div>
    </>
  );
}

/** What is to be said of an answer before its items. */
function Answer({ search }: { search: ArchiveSearch }) {
  const { answers, found } = search;
  if (answers.error) {
    return <Problem>{sayError(answers.error)}</Problem>;
  }
  const leftOut = (answers.data?.pages ?? []).reduce((n, page) => n + page.leftOut, 0);
  return (
    <>
      {found.length === 0 && (
        <p className="text-soft">Nothing fits. Widen the dates, or search anywhere.</p>
      )}
      {leftOut > 0 && (
        <div className="mb-2">
          <Warning>
            {counted(leftOut, "answer", "answers")} of the archive did not fit the question, or
            could not be read, and {leftOut === 1 ? "is" : "are"} not shown.
          </Warning>
        </div>
      )}
    </>
  );
}
