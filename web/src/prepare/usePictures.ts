import { useMemo } from "react";
import type { NodeView } from "@hindglance/contract/nodes";
import type { Family } from "@hindglance/core/chain/family";
import type { Stretch } from "../map/layers";
import { type Look, inCommon, joint, stretchesOf } from "../map/look";
import { type Field, useFields } from "./useFields";

/** How one side is drawn: its bands, and their stretches once they are known. */
export interface SidePicture {
  bands: number[];
  stretches: Stretch[] | null;
}
/** How both sides of a step are drawn. */
export interface Pictures {
  input: SidePicture;
  output: SidePicture;
}

interface Sides<T> {
  input: T;
  output: T;
}

/** Radar images whose means lie closer are on one level, dB. */
const ONE_LEVEL_DB = 5;
const NONE: (Field | null)[] = [];

/** Whether two sides can be seen under one stretch. */
function onOneLevel(family: Family, fields: Sides<(Field | null)[]>): boolean {
  if (family === "optical") {
    return true;
  }
  const [before, after] = [fields.input[0], fields.output[0]];
  return (
    !!before &&
    !!after &&
    before.unit === after.unit &&
    before.mean !== null &&
    after.mean !== null &&
    Math.abs(before.mean - after.mean) < ONE_LEVEL_DB
  );
}

/**
 * Stretches of both sides: one for both where they show the same on one level, so that a difference
 * seen is a difference made.
 */
function bothStretches(
  family: Family,
  sides: Sides<NodeView | null>,
  bands: Sides<number[]>,
  fields: Sides<(Field | null)[]>,
): Sides<Stretch[] | null> {
  const input = stretchesOf(fields.input.length ? fields.input : NONE);
  const output = stretchesOf(fields.output.length ? fields.output : NONE);
  const roleOf = (side: "input" | "output") => sides[side]?.info.bands[bands[side][0]!]?.role;
  const same =
    bands.input.length === bands.output.length &&
    roleOf("input") === roleOf("output") &&
    onOneLevel(family, fields);
  if (!input || !output || !same) {
    return { input, output };
  }
  const both = family === "optical" ? joint(input, output) : input;
  return { input: both, output: both };
}

/** Looks and stretches of both sides of a step. */
export function usePictures(
  family: Family,
  sides: Sides<NodeView | null>,
  bands: Sides<number[]>,
  look: Look,
): Pictures {
  const inputFields = useFields(sides.input?.hash ?? null, null, sides.input ? bands.input : []);
  const outputFields = useFields(
    sides.output?.hash ?? null,
    null,
    sides.output ? bands.output : [],
  );
  const { input, output } = sides;
  return useMemo(() => {
    const stretches = bothStretches(family, { input, output }, bands, {
      input: inputFields,
      output: outputFields,
    });
    // Natural colours have one stretch in common, so that grey stays grey.
    const seen = (own: Stretch[] | null) =>
      own && family === "optical" && look === "natural" && own.length === 3 ? inCommon(own) : own;
    return {
      input: { bands: bands.input, stretches: seen(stretches.input) },
      output: { bands: bands.output, stretches: seen(stretches.output) },
    };
  }, [family, look, inputFields, outputFields, bands, input, output]);
}
