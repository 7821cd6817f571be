import type * as yup from "yup";
import type { ImageInfo } from "../../graph/image";
import { type NodeSpec, node } from "../../graph/node";
import { opticalMaskStep } from "../../graph/steps/opticalMask";
import { whole, yes, stepSettings } from "../settings";
import type { OpticalStep } from "./family";
import { hasQuality, isSurface, reflectanceFirst } from "./scene";

const settings = stepSettings({
  cloud: yes,
  shadow: yes,
  cirrus: yes,
  snow: yes,
  water: yes,
  growCells: whole(0, 32),
  borderCells: whole(0, 64),
});
type MaskSettings = yup.InferType<typeof settings>;

const KINDS = [
  { at: "cloud", label: "Cloud" },
  { at: "shadow", label: "Cloud shadow" },
  { at: "cirrus", label: "Cirrus" },
  { at: "snow", label: "Snow" },
  { at: "water", label: "Water" },
] as const;

/**
 * A scene masked as the settings say; what only a quality band tells is left out where there is
 * none.
 * @param water whether water is taken out here
 */
export function masked(
  { on: _on, ...own }: MaskSettings,
  info: ImageInfo,
  water: boolean,
  input: NodeSpec,
): NodeSpec {
  const params = { ...own, water: own.water && water };
  return node(
    "optical.mask",
    hasQuality(info)
      ? params
      : { ...params, shadow: false, cirrus: false, snow: false, water: false },
    input,
  );
}

function brightnessOnly(info: ImageInfo): string {
  const warm = info.bands.some((band) => band.role === "thermal" || band.role === "temperature");
  return `There is no quality band: only bright cloud is found${warm ? ", told from warm roofs by its temperature," : ""} and no shadow.`;
}

/** Takes out borders, fill, cloud and shadow. */
export const mask: OpticalStep<"mask", MaskSettings> = {
  key: "mask",
  name: "Mask",
  help: "Takes out borders, fill, cloud and its shadow: by the quality band where there is one, by brightness where not. What is masked is not counted.",
  settings,
  graph: [opticalMaskStep],
  propose: ({ quality, hazard }) => ({
    on: true,
    cloud: true,
    shadow: quality,
    cirrus: false,
    snow: false,
    water: quality && hazard === "fire",
    growCells: 2,
    borderCells: 2,
  }),
  place(row) {
    const { info } = row.scene;
    const own = row.settings.mask;
    if (!own.on) {
      row.skip([
        "Borders, cloud and shadow stay in: they will look like change, and spoil what is taken from the whole scene.",
      ]);
      return;
    }
    // Water leaves after Surface where that runs: its darkest ground is there.
    const surfaced = row.settings.surface.on && !isSurface(info);
    const input = reflectanceFirst(row) ? node("optical.reflectance", {}, row.before) : row.before;
    const output = masked(own, info, !surfaced, input);
    row.put(output, hasQuality(info) ? [] : [brightnessOnly(info)], [output]);
  },
  sentence: (own) =>
    KINDS.filter((kind) => own[kind.at])
      .map((kind) => kind.at)
      .join(", ") || "fill",
  shows: ({ scene }) => (hasQuality(scene.info) ? "quality bits" : "brightness"),
  fields: (own, chain) => [
    { kind: "switches", label: "What is masked", switches: KINDS },
    { kind: "number", at: "growCells", label: "Widen by, cells", name: "Widen by", step: 1 },
    {
      kind: "number",
      at: "borderCells",
      label: "Edge of the frame, cells",
      name: "Edge of the frame",
      step: 1,
    },
    {
      kind: "note",
      text:
        own.water && chain.surface.on
          ? "Fill is always masked. Water leaves after Surface, which finds its darkest ground there."
          : "Fill is always masked.",
    },
  ],
};
