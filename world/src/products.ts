import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { spawn } from "node:child_process";
import { fileURLToPath } from "node:url";
import { encode } from "fast-png";
import type { SensorModel } from "@hindglance/core/radar/sensor";
import type { Ground } from "./ground";
import { PASSES, type RadarPass, announcedVectors, sensorOf, trueVectors } from "./mission";
import { incidenceOf, orbitFileName, orbitFileText, productName, writeSafe } from "./safe";
import { type CleanImage, digitalNumbers, simulate } from "./simulate";

export const absoluteOrbit = (p: RadarPass) => 58000 + p.seed;
/** Missions name the mission in orbit files with a hyphen, products by its short form. */
export const productFile = (p: RadarPass): string =>
  `${productName(sensorOf(p, announcedVectors(p)), absoluteOrbit(p))}.zip`;
export const orbitFile = (p: RadarPass): string | null =>
  p.preciseOrbit ? orbitFileName(trueVectors(p, -290, 290)) : null;

/** The pass that its agency cuts into two frames, and the line where it cuts. */
export const FRAMED = PASSES.find((p) => p.time.startsWith("2025-05-26"))!;
export const FRAME_CUT = 1290;
/** The two neighbouring frames of a pass, as a part of its lines each. */
export function framesOf(p: RadarPass): { sensor: SensorModel; line0: number; name: string }[] {
  const whole = sensorOf(p, announcedVectors(p));
  return [
    [0, FRAME_CUT],
    [FRAME_CUT, whole.lines],
  ].map(([a, b]) => {
    const sensor = {
      ...whole,
      firstLineT: whole.firstLineT + a! * whole.lineIntervalS,
      lines: b! - a!,
    };
    return { sensor, line0: a!, name: productName(sensor, absoluteOrbit(p)) };
  });
}
export const thumbnailFile = (product: string): string => join("archive", `${product}.png`);

/** Writes one scene, its small picture, and its orbit file where there is one. */
export async function writeProduct(folder: string, g: Ground, p: RadarPass): Promise<CleanImage> {
  mkdirSync(join(folder, "archive"), { recursive: true });
  const img = simulate(g, p);
  const sensor = sensorOf(p, announcedVectors(p));
  const incidence = incidenceOf(sensorOf(p, trueVectors(p, -80, 80)));
  const rows = (band: 0 | 1) =>
    function* () {
      const dn = digitalNumbers(img, p, band, incidence);
      for (let l = 0; l < img.lines; l += 64) {
        yield dn.subarray(l * img.samples, Math.min(img.lines, l + 64) * img.samples);
      }
    };
  await writeSafe(join(folder, productFile(p)), {
    sensor,
    name: productName(sensor, absoluteOrbit(p)),
    absoluteOrbit: absoluteOrbit(p),
    incidence,
    bands: [
      { polarisation: "VV", rows: rows(0) },
      { polarisation: "VH", rows: rows(1) },
    ],
  });
  writeFileSync(
    join(folder, thumbnailFile(productName(sensor, absoluteOrbit(p)))),
    quicklook(digitalNumbers(img, p, 0, incidence), img.samples, img.lines),
  );
  if (p === FRAMED) {
    for (const f of framesOf(p)) {
      const part = (band: 0 | 1) =>
        function* () {
          const dn = digitalNumbers(img, p, band, incidence);
          for (let l = f.line0; l < f.line0 + f.sensor.lines; l += 64) {
            yield dn.subarray(
              l * img.samples,
              Math.min(f.line0 + f.sensor.lines, l + 64) * img.samples,
            );
          }
        };
      await writeSafe(join(folder, "archive", `${f.name}.zip`), {
        sensor: f.sensor,
        name: f.name,
        absoluteOrbit: absoluteOrbit(p),
        incidence,
        line0: f.line0,
        bands: [
          { polarisation: "VV", rows: part(0) },
          { polarisation: "VH", rows: part(1) },
        ],
      });
      writeFileSync(
        join(folder, thumbnailFile(f.name)),
        quicklook(
          digitalNumbers(img, p, 0, incidence).subarray(
            f.line0 * img.samples,
            (f.line0 + f.sensor.lines) * img.samples,
          ),
          img.samples,
          f.sensor.lines,
        ),
      );
    }
  }
  if (p.preciseOrbit) {
    const v = trueVectors(p, -290, 290);
    writeFileSync(join(folder, orbitFileName(v)), orbitFileText(v, absoluteOrbit(p)));
  }
  return img;
}

/**
 * Writes all scenes by two processes of this program's own `products` entry, half of the scenes
 * each: most of the time of the demo's
 * making goes here.
 */
export async function writeProductsApart(folder: string, seed: number): Promise<void> {
  const entry = fileURLToPath(new URL("./products.js", import.meta.url));
  const halves = [0, 1].map((h) => PASSES.map((_p, i) => i).filter((i) => i % 2 === h));
  await Promise.all(
    halves.map(
      (list) =>
        new Promise<void>((ok, no) => {
          const child = spawn(process.execPath, [entry, folder, String(seed), list.join(",")], {
            stdio: "inherit",
          });
          child.once("error", no);
          child.once("exit", (code) =>
            code === 0 ? ok() : no(new Error(`A process that makes products ended with ${code}`)),
          );
        }),
    ),
  );
}

/** Small grey picture of amplitudes as PNG, lines down and samples across. */
function quicklook(dn: Uint16Array, samples: number, lines: number): Uint8Array {
  const step = 10;
  const width = Math.floor(samples / step);
  const height = Math.floor(lines / step);
  const data = new Uint8Array(width * height);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      let sum = 0;
      for (let j = 0; j < step; j++) {
        for (let i = 0; i < step; i++) {
          sum += dn[(r * step + j) * samples + c * step + i]!;
        }
      }
      data[r * width + c] = Math.min(255, (sum / (step * step)) * 0.9);
    }
  }
  return encode({ width, height, data, channels: 1, depth: 8 });
}
