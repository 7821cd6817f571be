import { useState } from "react";
import { type Family, STEPS_OF, settingsOf } from "@hindglance/core/chain/family";
import { sayError } from "../api/client";
import type { Study } from "../api/types";
import { Workspace } from "../frame/Workspace";
import { useUndoKey } from "../ui/useUndoKey";
import { Problem } from "../ui/Messages";
import { Board } from "./Board";
import { LookBar } from "./LookBar";
import { Offers } from "./Offers";
import { StepDesk } from "./StepDesk";
import { StepFooter } from "./StepFooter";
import { StepPicture, StepProblem } from "./StepPicture";
import { UnusedElevation } from "./UnusedElevation";
import { StepSpectra } from "./StepSpectra";
import { type BoardRow, type Desk, type PrepareView, changed, useDesk } from "./chainState";
import { type StepLook, useStepLook } from "./useStepLook";
import { type Prepare, usePrepare } from "./usePrepare";

interface Families {
  study: Study;
  family: Family;
  families: readonly Family[];
  onFamily(family: Family): void;
}

/** The row that is looked at: the one that was picked, else the date after the event. */
function pickedRow(view: PrepareView | null, desk: Desk, study: Study): BoardRow | null {
  const inside = view?.rows.filter((row) => !view.heldOut.includes(row.sceneId)) ?? [];
  return (
    inside.find((row) => row.sceneId === desk.sceneId) ??
    inside.find((row) => row.sceneId === study.compare?.afterId) ??
    inside.at(-1) ??
    null
  );
}

/** The board of one family with the picture and the settings of the picked step. */
export function FamilyPage(families: Families) {
  const { study, family } = families;
  const prepare = usePrepare(study.id, family);
  const desk = useDesk(study.id, family);
  const row = pickedRow(prepare.view, desk, study);
  const look = useStepLook(study.id, prepare.view, prepare, desk, row, family);
  useUndoKey(prepare.undo);
  if (prepare.error) {
    return (
      <div className="m-auto w-[440px]">
        <Problem>{sayError(prepare.error)}</Problem>
      </div>
    );
  }
  if (!prepare.view) {
    return <p className="p-6 text-soft">Loading …</p>;
  }
  return (
    <Desks {...families} prepare={prepare} view={prepare.view} desk={desk} row={row} look={look} />
  );
}

interface Parts extends Families {
  prepare: Prepare;
  view: PrepareView;
  desk: Desk;
  row: BoardRow | null;
  look: StepLook;
}

function Desks({ study, family, families, onFamily, prepare, view, desk, row, look }: Parts) {
  const onlyScene = desk.only && row ? row.sceneId : null;
  const own = settingsOf(STEPS_OF[family], view.chain, view.exceptions, onlyScene ?? "");
  const runs = own[desk.step]!.on;
  return (
    <Workspace
      label="Prepare"
      strip={
        <Board
          study={study}
          view={view}
          prepare={prepare}
          desk={desk}
          sceneId={row?.sceneId ?? null}
          families={families}
          onFamily={onFamily}
        />
      }
      picture={<Picture study={study} view={view} desk={desk} row={row} look={look} />}
      desk={
        <>
          {family === "radar" && (
            <>
              <UnusedElevation view={view} set={prepare.set} />
              <Offers study={study} view={view} />
            </>
          )}
          <StepDesk study={study} view={view} prepare={prepare} desk={desk} row={row} look={look} />
        </>
      }
      footer={
        <StepFooter
          runs={runs}
          prepare={prepare}
          row={row}
          canUndo={desk.past.length > 0}
          onToggle={() => prepare.set(changed(view, desk.step, { on: !runs }, onlyScene))}
        />
      }
    />
  );
}

/** What the picture's two sides are called: the step before this one that runs, and this one. */
function sideNames(view: PrepareView, step: string, row: BoardRow): [string, string] {
  const steps = STEPS_OF[view.family];
  const k = steps.findIndex((one) => one.key === step);
  const before = steps.slice(0, k).findLast((one) => view.chain[one.key]!.on);
  const source = view.family === "radar" ? "Product" : "Bands";
  const date = row.tag ? `${row.label} ${row.tag}` : row.label;
  return [before?.name ?? source, `${steps[k]!.name}, ${date}`];
}

function Picture({
  study,
  view,
  desk,
  row,
  look,
}: Pick<Parts, "study" | "view" | "desk" | "row" | "look">) {
  const [spot, setSpot] = useState<[number, number] | null>(null);
  const { nodes } = look;
  if (!row || !nodes) {
    return look.error ? (
      <StepProblem error={look.error} />
    ) : (
      <p className="p-6 text-[#c9d0cd]">
        {row ? "Loading the picture …" : "Every date is held out."}
      </p>
    );
  }
  const names = sideNames(view, desk.step, row);
  const isOptical = view.family === "optical";
  const isMosaic = desk.step === "mosaic";
  return (
    <StepPicture
      study={study}
      nodes={nodes}
      names={names}
      look={look}
      preview={isMosaic ? look.preview : null}
      onSpot={isOptical ? setSpot : null}
    >
      {isOptical && <LookBar look={look} canPreview={isMosaic} />}
      {spot && (
        <StepSpectra nodes={nodes} names={names} place={spot} onClose={() => setSpot(null)} />
      )}
    </StepPicture>
  );
}
