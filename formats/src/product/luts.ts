import type { AzimuthNoise, LutVector, PolarisationLuts } from "@hindglance/core/radar/luts";
import { FormatError } from "../errors";
import type { XmlElement } from "../xml";

const byLine = (lutVectors: LutVector[]) =>
  lutVectors.sort((lutVector, b) => lutVector.line - b.line);

function vector(element: XmlElement, values: string): LutVector {
  const pixels = element.numbers("pixel");
  const value = element.numbers(values);
  if (pixels.length !== value.length) {
    throw new FormatError(
      "contradictory",
      `${element.file}: ${element.path} has ${pixels.length} pixels but ${value.length} values of ${values}`,
    );
  }
  for (let i = 1; i < pixels.length; i++) {
    if (!(pixels[i]! > pixels[i - 1]!)) {
      throw new FormatError(
        "damaged",
        `${element.file}: the pixels of ${element.path} do not rise`,
      );
    }
  }
  return { line: element.number("line"), pixels, values: value };
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
    const lutVectors = all.map((element) => vector(element, name));
    if (lutVectors.some((lutVector) => lutVector.values.some((a) => !(a > 0)))) {
      throw new FormatError("damaged", `${root.file}: a value of ${name} is zero or negative`);
    }
    return byLine(lutVectors);
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
    .map((element): AzimuthNoise => {
      const lines = element.numbers("line");
      const values = element.numbers("noiseAzimuthLut");
      if (lines.length !== values.length) {
        throw new FormatError(
          "contradictory",
          `${element.file}: ${element.path} has ${lines.length} lines but ${values.length} values`,
        );
      }
      const whole = !element.has("firstAzimuthLine");
      return {
        firstLine: whole ? -Infinity : element.number("firstAzimuthLine"),
        lastLine: whole ? Infinity : element.number("lastAzimuthLine"),
        firstSample: whole ? -Infinity : element.number("firstRangeSample"),
        lastSample: whole ? Infinity : element.number("lastRangeSample"),
        lines,
        values,
      };
    })
    .map((noise) => ({
      ...noise,
      firstLine: finite(noise.firstLine, -1e9),
      lastLine: finite(noise.lastLine, 1e9),
      firstSample: finite(noise.firstSample, -1e9),
      lastSample: finite(noise.lastSample, 1e9),
    }));
  return {
    noiseRange: byLine(
      ranges.length
        ? ranges.map((range) => vector(range, "noiseRangeLut"))
        : old.map((element) => vector(element, "noiseLut")),
    ),
    noiseAzimuth,
  };
}
const finite = (value: number, otherwise: number) => (Number.isFinite(value) ? value : otherwise);
