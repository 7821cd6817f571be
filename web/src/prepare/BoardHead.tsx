import { prepareRoutes } from "@hindglance/contract/prepare";
import { call } from "../api/call";
import type { Family } from "@hindglance/core/chain/family";
import type { Study } from "../api/types";
import { bytes } from "../lib/format";
import { OverTime } from "../time/OverTime";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import type { PrepareView } from "./chainState";
import type { BoardWork } from "./usePrepare";

/** What the chains are called. */
export const CHAIN_NAMES: Record<Family, string> = {
  radar: "Radar chain",
  optical: "Optical chain",
};

/** Which chain it is, how many dates it has, and what can be done with all of them. */
export function BoardHead({
  study,
  view,
  prepare,
  families,
  onFamily,
}: {
  study: Study;
  view: PrepareView;
  prepare: BoardWork;
  families: readonly Family[];
  onFamily(family: Family): void;
}) {
  const { family } = view;
  const inside = view.rows.filter((row) => !view.heldOut.includes(row.sceneId));
  return (
    <div className="mb-1.5 flex items-center gap-3">
      {families.length > 1 ? (
        <Choice
          label="Chain"
          value={family}
          onChange={onFamily}
          options={families.map((value) => ({ value, name: CHAIN_NAMES[value] }))}
        />
      ) : (
        <h2 className="font-semibold">{CHAIN_NAMES[family]}</h2>
      )}
      <span className="text-soft">one setting for every date</span>
      <span className="flex-1" />
      <OverTime
        study={study}
        days={inside.map((row) => row.acquiredAt.slice(0, 10))}
        isPower={family === "radar"}
        first={family === "radar" ? "mean" : "median"}
        of="the results of the chain"
        ask={(body) =>
          call(prepareRoutes.overTime, { params: { id: study.id }, query: { family }, body })
        }
      />
      <OldResults view={view} prepare={prepare} />
      <span className="rounded-full border border-line bg-white px-2.5 text-[12px] leading-[22px]">
        {inside.length} {inside.length === 1 ? "date" : "dates"}
        {view.heldOut.length ? ` · ${view.heldOut.length} held out` : ""}
      </span>
      <RunButton prepare={prepare} left={inside.filter((row) => !row.ready).length} />
    </div>
  );
}

function OldResults({ view: { old }, prepare }: { view: PrepareView; prepare: BoardWork }) {
  if (old.length === 0) {
    return null;
  }
  const all = old.reduce((sum, result) => sum + result.bytes, 0);
  return (
    <Button
      tone="quiet"
      className="h-7 px-2"
      title="Results of settings that the chain does not have any more"
      onClick={() => prepare.clear.mutate()}
    >
      Delete {old.length} old {old.length === 1 ? "result" : "results"}, {bytes(all)}
    </Button>
  );
}

/** @param left dates whose result is not kept */
function RunButton({ prepare, left }: { prepare: BoardWork; left: number }) {
  let said = left === 0 ? "Everything is run" : "Run what is left";
  if (prepare.running) {
    said = "Running …";
  }
  return (
    <Button
      tone="act"
      disabled={left === 0 || prepare.running || prepare.run.isPending}
      onClick={() => prepare.run.mutate(null)}
    >
      {said}
    </Button>
  );
}
