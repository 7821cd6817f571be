import * as yup from "yup";
import { node } from "../../graph/node";
import { besideStep } from "../../graph/steps/limits";
import type { LimitPart } from "./limit";

/** A class that is kept only near another: labels of both, and how near. */
interface Own {
  label: number;
  of: number;
  withinCells: number;
}
interface Kept {
  beside?: Own | null;
}
const labelShape = yup.number().integer().min(1).max(254).required();

/** Only beside another class. */
export const beside: LimitPart<"beside", Kept, Own> = {
  key: "beside",
  name: "Beside a class",
  addedAs: "Only beside another class",
  help: "Cells of a class leave where no cell of another class lies near: plants stand in a flood only where there is one.",
  shape: {
    beside: yup
      .object({
        label: labelShape,
        of: labelShape,
        withinCells: yup.number().integer().min(1).max(256).required(),
      })
      .noUnknown()
      .nullable()
      .default(undefined),
  },
  read: (limits) => limits.beside ?? null,
  write: (own) => ({ beside: own }),
  offered: ({ classes }) => classes.length > 1,
  start: ({ classes }) => ({
    label: classes[1]?.label ?? 2,
    of: classes[0]?.label ?? 1,
    withinCells: 25,
  }),
  text: ({ withinCells }) => `within ${withinCells} cells of another class`,
  said: ({ label, of, withinCells }) =>
    `class ${label} only within ${withinCells} cells of class ${of}`,
  work: { on: "classes", node: (own, classes) => node("limit.beside", { ...own }, classes) },
  fields: (_own, { classes }) => {
    const options = classes.map(({ label, name }) => ({ value: label, name }));
    return [
      { kind: "pick", at: "label", label: "Keeps", name: "Class that is kept", options },
      { kind: "pick", at: "of", label: "Beside", name: "Class that it must be near", options },
      {
        kind: "amount",
        at: "withinCells",
        label: "Within",
        name: "Cells to the other class",
        unit: "cells",
        min: 1,
        max: 256,
        step: 1,
        decimals: 0,
      },
    ];
  },
  graph: [besideStep],
};
