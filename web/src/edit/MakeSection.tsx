import { useState } from "react";
import type { ChangeMap } from "../api/types";
import { type LayerUnit, withUnit } from "../compare/units";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Pick } from "../ui/Pick";
import { Slide } from "../ui/Slide";
import { cx } from "../ui/cx";
import type { Doing, Editing } from "./useEditing";

const WAYS: { value: Exclude<Doing, "reshape" | "cut">; name: string }[] = [
  { value: "polygon", name: "by corners" },
  { value: "freehand", name: "by hand" },
  { value: "rectangle", name: "rectangle" },
  { value: "grow", name: "by growing" },
];
type Way = (typeof WAYS)[number]["value"];

/** Whether something is drawn or grown, and not done to a patch that is there. */
const isMaking = (doing: Doing | null): boolean => WAYS.some(({ value }) => value === doing);

interface Props {
  map: ChangeMap;
  editing: Editing;
  /** Of the measure. */
  unit: LayerUnit;
}

/** A patch that the map missed is drawn or grown; and how all outlines are kept. */
export function MakeSection({ map, editing, unit }: Props) {
  const [way, setWay] = useState<Way>("polygon");
  const { doing, begin, label, setLabel, manner, setManner } = editing;
  const makes = isMaking(doing);
  return (
    <Section title="Missed by the map">
      <div className="flex items-center gap-2">
        <Button
          aria-pressed={makes}
          title="A patch that the map missed. Key D"
          className={cx("shrink-0", makes && "border-spruce")}
          onClick={() => begin(makes ? null : way)}
        >
          {makes ? "Stop" : "Draw"}
        </Button>
        <Pick<Way>
          label="How a patch is drawn"
          className="w-[112px] shrink-0"
          value={way}
          onChange={(next) => {
            setWay(next);
            begin(makes ? next : null);
          }}
          options={WAYS}
        />
        <Pick
          label="Class of drawn patches"
          className="w-full min-w-0 flex-1"
          value={String(label)}
          onChange={(next) => setLabel(Number(next))}
          options={classesOf(map)}
        />
      </div>
      {doing === "grow" && <Grow editing={editing} unit={unit} />}
      <div className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-2">
        <Choice<"cells" | "free">
          label="How outlines are kept"
          value={manner.isSnapped ? "cells" : "free"}
          onChange={(kept) => setManner({ ...manner, isSnapped: kept === "cells" })}
          options={[
            { value: "cells", name: "Along cells", hint: "Outlines follow the sides of cells" },
            { value: "free", name: "Free", hint: "Outlines stay as they are drawn" },
          ]}
        />
        <label
          className="flex items-center gap-2 text-soft"
          title="Else an outline stops where another patch begins"
        >
          <input
            type="checkbox"
            checked={manner.isTaking}
            onChange={({ target }) => setManner({ ...manner, isTaking: target.checked })}
          />
          Take ground of others
        </label>
      </div>
    </Section>
  );
}

/** Classes of a map, as they are picked from. */
export const classesOf = ({ info }: ChangeMap): { value: string; name: string }[] =>
  (info.classes ?? []).map(({ label, name }) => ({ value: String(label), name }));

/** How far a patch grows within the measure, and whether it is kept. */
function Grow({ editing, unit }: Pick<Props, "editing" | "unit">) {
  const { growth, add } = editing;
  const { area, spread, share, setShare, most, isPending } = growth;
  const differs =
    spread === null ? null : withUnit(number(share * spread, unit.decimals + 1), unit);
  return (
    <div className="mt-2 space-y-2">
      <div className="flex items-center gap-3">
        <span
          className="shrink-0 text-soft"
          title="How far the measure of each cell may differ from the mean of 3 x 3 cells where it begins"
        >
          Differs by up to
        </span>
        <Slide
          label="Differs by up to"
          {...{ min: 0, max: most, step: 0.01, value: share }}
          text={differs ?? "no place yet"}
          onChange={setShare}
        />
        <span className="w-20 shrink-0 whitespace-nowrap text-right font-mono">
          {differs ?? "–"}
        </span>
      </div>
      <div className="flex items-center gap-2">
        <span role="status" className="flex-1 text-soft">
          {grownText(area, isPending)}
        </span>
        <Button
          disabled={!area}
          onClick={() => {
            if (area && add(area.polygons)) {
              growth.discard();
            }
          }}
        >
          Add patch
        </Button>
      </div>
    </div>
  );
}

function grownText(area: Editing["growth"]["area"], isPending: boolean): string {
  if (isPending) {
    return "Growing …";
  }
  if (!area) {
    return "Click where it begins.";
  }
  const cells = `${number(area.cells)} ${area.cells === 1 ? "cell" : "cells"}`;
  return area.isCut ? `${cells}, up to the edge of what is looked at` : cells;
}
