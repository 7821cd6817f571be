import * as yup from "yup";
import { saidClasses, saidOf, sayCells } from "../../change/confirmed";
import { type Confirms, SAYS } from "../../change/second";
import { InputError } from "../../errors";
import { labelCells, realCells } from "../../raster/block";
import type { ImageInfo } from "../image";
import type { Step } from "../step";
import { cellByCell, finite, none, requireOneGrid } from "./common";

/** What another sensor shows: NaN where the mask of cloud that may come with it is over a half. */
export const secondLookStep: Step<Record<string, never>> = {
  kind: "second.look",
  version: 1,
  title: "Second sensor",
  help: "What another sensor shows on the grid of the map, where cloud lets it look.",
  inputs: { min: 1, max: 2 },
  params: none,
  describe(inputs) {
    const [image] = inputs;
    requireOneGrid("Second sensor", inputs);
    if (image!.type !== "float32" || image!.bands.length !== 1) {
      throw new InputError("One band of another sensor is looked at", "inputs");
    }
    return {
      grid: image!.grid,
      type: "float32",
      bands: [{ name: "second", unit: image!.bands[0]!.unit, role: "value" }],
    };
  },
  reach: cellByCell,
  compute([image, cloud], out) {
    const cells = realCells(image!.bands[0]!);
    const hides = cloud ? realCells(cloud.bands[0]!) : null;
    const dst = realCells(out.bands[0]!);
    for (let i = 0; i < dst.length; i++) {
      dst[i] = hides && hides[i]! > CLOUDED ? NaN : cells[i]!;
    }
  },
};
/** A mask of 0 and 1 that was brought to another grid: over this a cell is hidden. */
const CLOUDED = 0.01;

type Params = Pick<Confirms, "labels" | "op" | "value">;

const params = yup
  .object({
    labels: yup.array(yup.number().integer().min(1).max(254).required()).min(1).max(64).required(),
    op: yup.string().oneOf(SAYS).required(),
    value: finite(),
  })
  .noUnknown();

/** @throws InputError where these are not classes of a map and one band of another sensor */
function requireMapAndLayer(title: string, inputs: readonly ImageInfo[]): void {
  const [map, layer] = inputs;
  requireOneGrid(title, inputs);
  if (map!.type !== "class8" || layer!.type !== "float32" || layer!.bands.length !== 1) {
    throw new InputError("Classes and one band of another sensor are put together", "inputs");
  }
}

/** Classes of a map by what another sensor says of them. */
export const confirmedStep: Step<Params> = {
  kind: "change.confirmed",
  version: 1,
  title: "Confirmed by a second sensor",
  help: "Cells of classes by what another sensor says: confirmed, not confirmed, not seen.",
  inputs: { min: 2, max: 2 },
  params,
  describe(inputs, { labels }) {
    const [map] = inputs;
    requireMapAndLayer("Confirmed by a second sensor", inputs);
    return {
      ...map!,
      bands: [map!.bands.at(-1)!],
      classes: saidClasses(labels, map!.classes ?? []),
    };
  },
  reach: cellByCell,
  compute([map, layer], out, ctx) {
    sayCells(
      labelCells(map!.bands.at(-1)!),
      realCells(layer!.bands[0]!),
      ctx.params,
      labelCells(out.bands[0]!),
    );
  },
};

/** Classes of a map without the cells that another sensor saw and does not confirm. */
export const againstStep: Step<Params> = {
  kind: "limit.against",
  version: 1,
  title: "Not confirmed",
  help: "Cells of classes leave where another sensor looked and does not confirm them; where it could not look they stay.",
  inputs: { min: 2, max: 2 },
  params,
  describe(inputs) {
    requireMapAndLayer("Not confirmed", inputs);
    return inputs[0]!;
  },
  reach: cellByCell,
  compute([map, layer], out, ctx) {
    const labels = labelCells(map!.bands[0]!);
    const dst = labelCells(out.bands[0]!);
    sayCells(labels, realCells(layer!.bands[0]!), ctx.params, dst);
    for (let i = 0; i < dst.length; i++) {
      dst[i] = saidOf(dst[i]!) === "against" ? 0 : labels[i]!;
    }
  },
};
