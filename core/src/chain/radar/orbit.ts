import * as yup from "yup";
import { InputError } from "../../errors";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell } from "../../graph/steps/common";
import { geometryOf } from "../../graph/steps/sensor";
import type { StateVector } from "../../radar/orbit";
import { stepSettings } from "../settings";
import type { RadarStep } from "./family";

const orbitStep: Step<{ vectors: StateVector[]; kind: "precise" | "restituted" }> = {
  kind: "radar.orbit",
  version: 1,
  title: "Orbit",
  help: "Takes the satellite's way from an orbit file in place of the product's own vectors.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      vectors: yup.mixed<StateVector[]>().required(),
      kind: yup
        .string()
        .oneOf(["precise", "restituted"] as const)
        .required(),
    })
    .noUnknown(),
  describe([info], params) {
    const rd = geometryOf("Orbit", info!);
    const sensorModel = info!.sensor!;
    const last = rd.timeOf(sensorModel.lines);
    const t = params.vectors.map((vector) => vector.t);
    if (!(Math.min(...t) <= sensorModel.firstLineT && Math.max(...t) >= last)) {
      throw new InputError(
        "The orbit file does not cover the time of this scene",
        "vectors",
        "Take the file whose validity holds the acquisition.",
      );
    }
    return {
      ...info!,
      sensor: { ...sensorModel, orbit: params.vectors, orbitSource: params.kind },
    };
  },
  reach: cellByCell,
  compute([block], out) {
    block!.bands.forEach((band, i) => out.bands[i]!.set(band));
  },
};

const RESTITUTED =
  "The orbit file is a restituted one: good to a few centimetres across and decimetres along the track. A precise one follows some weeks after the pass.";
const NO_FILE =
  "There is no orbit file for this pass: the product's own orbit is used; expect a shift of some metres. Add the orbit file.";
const broken = (names: readonly string[]): string =>
  `${names.join(", ")} ${names.length > 1 ? "have" : "has"} a gap at the time of this scene and cannot serve: the product's own orbit is used; expect a shift of some metres. Add a whole orbit file.`;

const settings = stepSettings({});

/** The satellite's way, from an orbit file where there is one. */
export const orbit: RadarStep<"orbit", yup.InferType<typeof settings>> = {
  key: "orbit",
  name: "Orbit",
  help: "Where the satellite flew. An orbit file that is in the study is used by itself; without one the product's own vectors are, some metres less sure.",
  settings,
  graph: [orbitStep],
  propose: () => ({ on: true }),
  place(row) {
    const file = row.scene.orbit;
    if (!row.settings.orbit.on) {
      row.skip();
    } else if (!file) {
      const names = row.scene.brokenOrbits ?? [];
      row.pass([names.length > 0 ? broken(names) : NO_FILE]);
    } else {
      row.put(
        node("radar.orbit", { vectors: file.vectors, kind: file.kind }, row.before),
        file.kind === "restituted" ? [RESTITUTED] : [],
      );
    }
  },
  sentence: () => "from file",
  shows: ({ scene, info }) => `${scene.orbit?.kind ?? "own"}, ${info.sensor!.orbit.length} vectors`,
  fields: () => [{ kind: "orbits" }],
};
