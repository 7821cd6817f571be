import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { lcg } from "@hindglance/core/testing/support";

export const X0 = 490000;
export const Y0 = 5175000;
const metadata = (bands: string[]): [number, number, string] => [
  42112,
  2,
  `<M>${bands.map((band, i) => `<Item name="D" sample="${i}" role="description">${band}</Item>`).join("")}</M>`,
];

/**
 * Radar power of two looks: 0.15 on land, 0.008 on water; the water of `dark`, and of `alsoDark`, in
 * columns [from, to).
 * A strip at the left is fill.
 */
export function radarTiff(
  width: number,
  height: number,
  seed: number,
  dark: [number, number],
  more: { tile?: [number, number]; x0?: number; alsoDark?: [number, number] } = {},
): Uint8Array {
  const random = lcg(seed);
  const waters = more.alsoDark ? [dark, more.alsoDark] : [dark];
  const isWater = (column: number) => waters.some(([from, to]) => column >= from && column < to);
  const cells = Float32Array.from(
    { length: width * height },
    (_v, i) =>
      ((isWater(i % width) ? 0.008 : 0.15) * (-Math.log(1 - random()) - Math.log(1 - random()))) /
      2,
  );
  return buildTiff({
    width,
    height,
    compression: 8,
    tile: more.tile,
    rowsPerStrip: 64,
    value: (c, r) => (c < 3 ? 0 : cells[r * width + c]!),
    extra: [...UTM27S_KEYS, ...at(more.x0 ?? X0, Y0, 20), metadata(["sigma0 VV"]), [42113, 2, "0"]],
  });
}

/** A plane that rises to the east, on 40 m cells. */
export const elevationTiff = (width: number, height: number, x0 = X0): Uint8Array =>
  buildTiff({
    width: Math.ceil(width / 2) + 2,
    height: Math.ceil(height / 2) + 2,
    value: (c) => c * 0.5,
    extra: [...UTM27S_KEYS, ...at(x0, Y0, 40), metadata(["elevation"])],
  });

export const SETUP = {
  band: 0,
  speckle: { filter: "refinedLee", windowCells: 7, looks: 2 },
  measure: "logRatio",
  rules: [
    {
      label: 1,
      name: "New water",
      color: "#c8246f",
      all: [
        { layer: "measure", op: "<", value: -5 },
        { layer: "after", op: "<", value: -14 },
      ],
    },
    {
      label: 2,
      name: "Standing water",
      color: "#33498c",
      all: [
        { layer: "before", op: "<", value: -14 },
        { layer: "after", op: "<", value: -14 },
      ],
    },
  ],
  limits: {
    studyArea: false,
    seenMarginCells: 1,
    maxSlopeDeg: null,
    minPatchCells: 9,
    neighbours: 8,
  },
};
