import { useQuery } from "@tanstack/react-query";
import { fromToRoutes } from "@hindglance/contract/fromTo";
import { transitionLabel } from "@hindglance/core/cover/coverClass";
import { unlikelyLabels } from "@hindglance/core/cover/unlikely";
import type { Bounds } from "@hindglance/core/patches/boundsOnGlobe";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { Section } from "../../frame/Section";
import { areaSaid, number } from "../../lib/format";
import { Problem } from "../../ui/Messages";
import { cx } from "../../ui/cx";
import type { Picked } from "./FromToTableView";
import { unlikelyIn } from "./unlikely";
import type { FromToOnScreen } from "./useFromTo";

interface Props {
  studyId: string;
  shown: FromToOnScreen;
  picked: Picked;
  lookAt: Bounds | null;
  setLookAt(bounds: Bounds): void;
}

/** The pieces of ground of the transition that is picked. */
function usePieces({ studyId, shown, picked }: Props) {
  const { pair } = shown;
  const label = pair ? transitionLabel(picked.from, picked.to, pair.classes.length) : 0;
  return useQuery({
    queryKey: ["fromToPieces", studyId, shown.made?.hash, label],
    queryFn: () => {
      const { beforeId, afterId, classes } = pair!;
      return call(fromToRoutes.patches, {
        params: { id: studyId },
        body: { beforeId, afterId, classes, label },
      });
    },
    enabled: !!pair && shown.isCurrent,
    staleTime: Infinity,
    retry: false,
  });
}

/** The cell of the table that is picked: its ground piece by piece, and whether it hardly happens. */
export function PickedSection(props: Props) {
  const { shown, picked, lookAt, setLookAt } = props;
  const { data, error } = usePieces(props);
  const classes = shown.pair?.classes ?? [];
  const [was, is] = [classes[picked.from], classes[picked.to]];
  if (!was || !is) {
    return null;
  }
  const isSame = picked.from === picked.to;
  return (
    <Section title={isSame ? `${was.name}, unchanged` : `${was.name} to ${is.name}`}>
      {!isSame && <Hardly shown={shown} picked={picked} />}
      {error && <Problem>{sayError(error)}</Problem>}
      {!error && !data && <p className="text-soft">Looking for its ground …</p>}
      {data && (
        <>
          <p className="mb-1 text-label text-soft">
            {number(data.count)} {data.count === 1 ? "patch" : "patches"}
            {data.level > 0 && ", found on an overview"}
            {data.count > data.patches.length && `; the largest ${data.patches.length}`}
          </p>
          <ol aria-label="Patches" className="max-h-[180px] overflow-y-auto">
            {data.patches.map((one, k) => (
              <li key={`${one.west} ${one.north} ${k}`}>
                <button
                  type="button"
                  aria-pressed={lookAt === one}
                  onClick={() => setLookAt(one)}
                  className={cx(
                    "flex w-full justify-between rounded-field px-2 py-0.5 font-mono text-[12px]",
                    lookAt === one ? "bg-[#e2ece7]" : "hover:bg-bone",
                  )}
                >
                  <span className="text-soft">{k + 1}</span>
                  <span>
                    {areaSaid(one.areaM2)} · {number(one.cells)}{" "}
                    {data.level > 0 ? "cells of the overview" : "cells"}
                  </span>
                </button>
              </li>
            ))}
          </ol>
        </>
      )}
    </Section>
  );
}

/** Whether a transition is on the legend's list of those that hardly happen. */
function Hardly({ shown, picked }: Pick<Props, "shown" | "picked">) {
  const { classes } = shown.pair!;
  const label = transitionLabel(picked.from, picked.to, classes.length);
  const all = unlikelyIn(shown.unlikely, classes);
  const names = { from: classes[picked.from]!.name, to: classes[picked.to]!.name };
  return (
    <label className="mb-2 flex items-center gap-2">
      <input
        type="checkbox"
        checked={unlikelyLabels(classes, all).includes(label)}
        onChange={(event) => shown.setUnlikely(names, event.target.checked)}
      />
      Hardly happens: to be looked at first in Review
    </label>
  );
}
