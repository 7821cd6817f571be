import type * as yup from "yup";
import { node, sourceNode } from "../../graph/node";
import { onGrid } from "../../graph/onGrid";
import { gapsStep } from "../../graph/steps/gaps";
import { sceneOrNone, yes, stepSettings } from "../settings";
import type { OpticalRow, OpticalStep } from "./family";
import { masked } from "./mask";
import { reflectanceFirst } from "./scene";

const settings = stepSettings({
  /** The date that fills; null: neighbours do. */
  sceneId: sceneOrNone,
  masked: yes,
});

/** Fills from a second date, which is masked as its own settings say. */
function fillFrom(row: OpticalRow, filler: OpticalRow): void {
  const own = row.settings.gaps;
  const source = sourceNode(filler.scene.imageId);
  const cleaned = masked(
    filler.settings.mask,
    filler.scene.info,
    false,
    reflectanceFirst(row) ? node("optical.reflectance", {}, source) : source,
  );
  const output = node(
    "optical.gaps",
    { masked: own.masked },
    row.before,
    onGrid(cleaned, filler.scene.info, row.scene.info.grid),
  );
  const later = filler.scene.acquiredAt > row.scene.acquiredAt;
  row.put(
    output,
    later
      ? [
          "The gaps are filled from a later date: what happened between the two dates may come in with it.",
        ]
      : [],
    [output],
  );
}

/** Fills missing lines inside the frame. */
export const gaps: OpticalStep<"gaps", yup.InferType<typeof settings>> = {
  key: "gaps",
  name: "Scan gaps",
  help: "Fills missing lines inside the frame from a second date, or from their neighbours. A band marks the cells that were filled.",
  settings,
  graph: [gapsStep],
  propose: () => ({ on: false, sceneId: null, masked: false }),
  place(row, rows) {
    const own = row.settings.gaps;
    if (!own.on) {
      row.skip();
      return;
    }
    if (own.sceneId === null || own.sceneId === row.scene.id) {
      const output = node("optical.gaps", { masked: own.masked }, row.before);
      row.put(output, [], [output]);
      return;
    }
    const filler = rows.find((one) => one.scene.id === own.sceneId);
    if (!filler) {
      return row.refuse(
        "The date that fills the gaps is not in the chain",
        "gaps.sceneId",
        "Pick another one, or fill from neighbours.",
      );
    }
    fillFrom(row, filler);
  },
  sentence: (own) => (own.sceneId ? "other date" : "neighbours"),
  shows: ({ cell }) => (cell.output.inputs[1] ? "other date" : "neighbours"),
  fields: (own) => [
    {
      kind: "scene",
      at: "sceneId",
      label: "Filled from",
      among: "others",
      none: { value: null, name: "Neighbours" },
    },
    { kind: "switch", at: "masked", label: "Fill masked cells too" },
    {
      kind: "note",
      text: own.sceneId
        ? "The filling date is matched in windows of 17 to 31 cells."
        : "Only gaps with ground on both sides, up to 15 cells away.",
    },
  ],
};
