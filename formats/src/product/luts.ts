import type { AzimuthNoise, LutVector, PolarisationLuts } from "@hindglance/core/radar/luts";
import { FormatError } from "../errors";
import type { XmlElement } from "../xml";

const byLine = (v: LutVector[]) => v.sort((a, b) => a.line - b.line);

function vector(e: XmlElement, values: string): LutVector {
  const pixels = e.numbers("pixel");
  const v = e.numbers(values);
  if (pixels.length !== v.length) {
    throw new FormatError(
      "contradictory",
      `${e.file}: ${e.path} has ${pixels.length} pixels but ${v.length} values of ${values}`,
    );
  }
  for (let i = 1; i < pixels.length; i++) {
    if (!(pixels[i]! > pixels[i - 1]!)) {
      throw new FormatError("damaged", `${e.file}: the pixels of ${e.path} do not rise`);
    }
  }
  return { line: e.number("line"), pixels, values: v };
}

/** Sigma, beta and gamma nought vectors of a calibration file. */
export function calibrationLuts(
  root: XmlElement,
): Pick<PolarisationLuts, "sigma" | "beta" | "gamma"> {
  const all = root.all("calibrationVectorList/calibrationVector");
  if (all.length === 0) {
    throw new FormatError(
      "incomplete",
      `${root.file} holds no calibration vector`,
      "Without calibration the numbers of the product mean nothing; fetch it again.",
    );
  }
  const of = (name: string) => {
    const v = all.map((e) => vector(e, name));
    if (v.some((x) => x.values.some((a) => !(a > 0)))) {
      throw new FormatError("damaged", `${root.file}: a value of ${name} is zero or negative`);
    }
    return byLine(v);
  };
  return { sigma: of("sigmaNought"), beta: of("betaNought"), gamma: of("gamma") };
}

/** Range and azimuth noise vectors, or the older single list (then without azimuth part). */
export function noiseLuts(root: XmlElement): Pick<PolarisationLuts, "noiseRange" | "noiseAzimuth"> {
  const ranges = root.all("noiseRangeVectorList/noiseRangeVector");
  const old = root.all("noiseVectorList/noiseVector");
  if (ranges.length === 0 && old.length === 0) {
    throw new FormatError("incomplete", `${root.file} holds no noise vector`);
  }
  const noiseAzimuth = root
    .all("noiseAzimuthVectorList/noiseAzimuthVector")
    .map((e): AzimuthNoise => {
      const lines = e.numbers("line");
      const values = e.numbers("noiseAzimuthLut");
      if (lines.length !== values.length) {
        throw new FormatError(
          "contradictory",
          `${e.file}: ${e.path} has ${lines.length} lines but ${values.length} values`,
        );
      }
      const whole = !e.has("firstAzimuthLine");
      return {
        firstLine: whole ? -Infinity : e.number("firstAzimuthLine"),
        lastLine: whole ? Infinity : e.number("lastAzimuthLine"),
        firstSample: whole ? -Infinity : e.number("firstRangeSample"),
        lastSample: whole ? Infinity : e.number("lastRangeSample"),
        lines,
        values,
      };
    })
    .map((p) => ({
      ...p,
      firstLine: finite(p.firstLine, -1e9),
      lastLine: finite(p.lastLine, 1e9),
      firstSample: finite(p.firstSample, -1e9),
      lastSample: finite(p.lastSample, 1e9),
    }));
  return {
    noiseRange: byLine(
      ranges.length
        ? ranges.map((e) => vector(e, "noiseRangeLut"))
        : old.map((e) => vector(e, "noiseLut")),
    ),
    noiseAzimuth,
  };
}
const finite = (v: number, otherwise: number) => (Number.isFinite(v) ? v : otherwise);
