import type { SaidAtImport } from "@hindglance/contract/scenes";
import type { RasterInspection } from "../../db/inspection";
import type { SaidOfScene } from "./said";

/** Fields that hold something else than the file says. */
function changedBands({ bands }: RasterInspection, said: SaidOfScene): SaidAtImport {
  if (said.kind !== "radar" || !said.bands) {
    return {};
  }
  const polarisations = bands.map((_band, k) => said.bands![k]?.polarisation ?? null);
  const units = bands.map((_band, k) => said.bands![k]?.unit ?? null);
  const isNew = bands.some((band, k) => {
    const isDecibel = units[k] === null ? band.role === "decibel" : units[k] === "dB";
    const polarisation = polarisations[k] ?? band.polarisation;
    return polarisation !== band.polarisation || isDecibel !== (band.role === "decibel");
  });
  return isNew ? { polarisations, units } : {};
}

/**
 * What a person said of an image beyond what its file says, for the scene card, the ledger and the
 * provenance; undefined where the file said everything.
 */
export function answersOf(detail: RasterInspection, said: SaidOfScene): SaidAtImport | undefined {
  const { kind, acquiredAt, vertical, epsg, rescale, rounded } = said;
  const isElevation = kind === "elevation";
  const own = detail.bands[0]?.vertical;
  const answers: SaidAtImport = {
    ...(kind === detail.kind ? {} : { kind }),
    ...(acquiredAt && acquiredAt !== detail.acquiredAt ? { acquiredAt } : {}),
    ...changedBands(detail, said),
    ...(isElevation && vertical !== undefined && vertical !== own ? { vertical } : {}),
    ...(epsg && !detail.grid ? { epsg } : {}),
    ...(rescale ? { rescale } : {}),
    ...(rounded && detail.rounding ? { rounded: detail.rounding } : {}),
  };
  return Object.keys(answers).length > 0 ? answers : undefined;
}
