import { useEffect, useState } from "react";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import type { CompareNodes, NodeView } from "../../api/types";
import { degrees, number } from "../../lib/format";
import { type LayerUnit, unitOf, withUnit } from "../units";
import { NOT_COUNTED, valuesAt } from "./readValues";
import type { Place } from "./types";
import { isOfClasses } from "./useDateLooks";

interface Props {
  nodes: CompareNodes;
  setup: ChangeSetup;
  classesReady: boolean;
  at: Place;
  unit: LayerUnit;
  measureName: string;
}

/** The name of a class that a date has at a place; "…" until it has come. */
function named(label: number | undefined, { info }: NodeView): string {
  if (label === undefined) {
    return "…";
  }
  return info.classes?.find((one) => one.label === label)?.name.toLowerCase() ?? "no class";
}

/** A value with its unit; "…" until it has come. */
function written(value: number | undefined, unit: LayerUnit, signed = false): string {
  if (value === undefined) {
    return "…";
  }
  return Number.isFinite(value) ? withUnit(number(value, unit.decimals, signed), unit) : "nodata";
}

/** Draws again and again while `waiting`: tiles may arrive after the cursor has come to rest. */
function useLookAgain(waiting: boolean): void {
  const [, look] = useState(0);
  useEffect(() => {
    if (!waiting) {
      return;
    }
    const timer = setInterval(() => look((n) => n + 1), 250);
    return () => clearInterval(timer);
  }, [waiting]);
}

/** Values under the cursor, always in the same corner, in real units. */
export function ReadOut({ nodes, setup, classesReady, at, unit, measureName }: Props) {
  const values = valuesAt(nodes, setup, classesReady, at);
  useLookAgain(values.before === undefined || values.after === undefined);
  const [lon, lat] = ontoGlobe(nodes.before.info.grid)(...at);
  const { elevation, className, level } = values;
  const said = (value: number | undefined, node: NodeView) =>
    isOfClasses(nodes) ? named(value, node) : written(value, unit);
  return (
    <div
      className="pointer-events-none absolute bottom-3 left-3 z-10 grid grid-cols-[auto_auto] gap-x-4 rounded-field bg-night/88 px-2.5 py-1.5 font-mono text-[12px] leading-[17px] text-white"
      data-testid="read-out"
    >
      <span>{degrees(lon, lat)}</span>
      <span className="text-[#b9c2be]">
        {elevation === null ? "" : `${number(elevation, 0)} m`}
      </span>
      <span>
        <span className="text-[#8fb3e6]">before</span> {said(values.before, nodes.before)}
      </span>
      <span>
        <span className="text-[#eb9a73]">after</span> {said(values.after, nodes.after)}
      </span>
      {!isOfClasses(nodes) && (
        <span title={measureName}>
          change {written(values.change, unitOf("measure", unit), true)}
        </span>
      )}
      <span className={className === NOT_COUNTED ? "text-[#b9c2be]" : "text-[#f08bb8]"}>
        {className ?? ""}
      </span>
      {level > 0 && (
        <span className="col-span-2 text-[11px] text-[#b9c2be]">
          preview: means of {number(4 ** level)} cells
        </span>
      )}
    </div>
  );
}
