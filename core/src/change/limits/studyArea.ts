import * as yup from "yup";
import { InputError } from "../../errors";
import { node } from "../../graph/node";
import { studyAreaMaskStep } from "../../graph/steps/masks";
import { areaOnGrid } from "../areaOnGrid";
import type { LimitPart } from "./limit";

interface Kept {
  studyArea: boolean;
}

/** What lies inside the study area. */
export const studyArea: LimitPart<"studyArea", Kept, object> = {
  key: "studyArea",
  name: "Study area",
  addedAs: "Inside study area",
  help: "Cells whose centre lies outside the study area are not counted at all.",
  shape: { studyArea: yup.boolean().required() },
  read: (limits) => (limits.studyArea ? {} : null),
  write: (own) => ({ studyArea: own !== null }),
  offered: ({ hasArea }) => hasArea,
  start: () => ({}),
  text: () => "inside study area",
  said: () => "inside study area",
  work: {
    on: "mask",
    node(_own, { inputs, grid, before }) {
      if (!inputs.studyArea) {
        throw new InputError(
          "This study has no study area",
          "limits.studyArea",
          "Draw one, or take this limit away.",
        );
      }
      return node("mask.studyArea", { polygons: areaOnGrid(inputs.studyArea, grid) }, before);
    },
  },
  fields: () => [],
  graph: [studyAreaMaskStep],
};
