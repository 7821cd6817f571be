import * as yup from "yup";
import { node } from "../../graph/node";
import { seenMaskStep } from "../../graph/steps/masks";
import type { LimitPart } from "./limit";

/** Cells that one date lacks never count; this is how far from such cells to stay. */
interface Kept {
  seenMarginCells: number;
}

/** What both dates show. */
export const seen: LimitPart<"seen", Kept, Kept> = {
  key: "seen",
  name: "Seen on both dates",
  addedAs: "Seen on both dates",
  help: "What only one date shows is never change. Filters make cells beside a frame edge unsure: stay this far away from it.",
  shape: { seenMarginCells: yup.number().integer().min(0).max(64).required() },
  read: ({ seenMarginCells }) => ({ seenMarginCells }),
  write: (own) => own ?? { seenMarginCells: 0 },
  always: true,
  offered: () => false,
  start: () => ({ seenMarginCells: 3 }),
  text: ({ seenMarginCells: cells }) =>
    cells > 0 ? `seen on both dates, ${cells} cells in` : "seen on both dates",
  said: ({ seenMarginCells: cells }) => `seen on both dates, ${cells} cells in`,
  work: {
    on: "mask",
    node: ({ seenMarginCells }, { before, after }) =>
      node("mask.seen", { marginCells: seenMarginCells }, before, after),
  },
  fields: () => [
    {
      kind: "amount",
      at: "seenMarginCells",
      label: "Margin",
      name: "Margin in cells",
      unit: "cells",
      min: 0,
      max: 64,
      step: 1,
      decimals: 0,
    },
  ],
  graph: [seenMaskStep],
};
