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

/** Number of the orbit of a pass. */
export const absoluteOrbit = (pass: RadarPass) => 58000 + pass.seed;
/** Missions name the mission in orbit files with a hyphen, products by its short form. */
export const productFile = (pass: RadarPass): string =>
  `${productName(sensorOf(pass, announcedVectors(pass)), absoluteOrbit(pass))}.zip`;

/** File name of a pass's precise orbit, or null where there is none. */
export const orbitFile = (pass: RadarPass): string | null =>
  pass.preciseOrbit ? orbitFileName(trueVectors(pass, -290, 290)) : null;

/** The pass that its agency cuts into two frames, and the line where it cuts. */
export const FRAMED = PASSES.find((pass) => pass.time.startsWith("2025-05-26"))!;
export const FRAME_CUT = 1290;
/** The two neighbouring frames of a pass, as a part of its lines each. */
export function framesOf(pass: RadarPass): { sensor: SensorModel; line0: number; name: string }[] {
  const whole = sensorOf(pass, announcedVectors(pass));
  return [
    [0, FRAME_CUT],
    [FRAME_CUT, whole.lines],
  ].map(([a, b]) => {
    const sensor = {
      ...whole,
      firstLineT: whole.firstLineT + a! * whole.lineIntervalS,
      lines: b! - a!,
    };
    return { sensor, line0: a!, name: productName(sensor, absoluteOrbit(pass)) };
  });
}

/** Where the small picture of a product lies. */
export const thumbnailFile = (product: string): string => join("archive", `${product}.png`);

/** Writes one scene, its small picture, and its orbit file where there is one. */
export async function writeProduct(
  folder: string,
  ground: Ground,
  pass: RadarPass,
): Promise<CleanImage> {
  mkdirSync(join(folder, "archive"), { recursive: true });
  const img = simulate(ground, pass);
  const sensor = sensorOf(pass, announcedVectors(pass));
  const incidence = incidenceOf(sensorOf(pass, trueVectors(pass, -80, 80)));
  const rows = (band: 0 | 1) =>
    function* () {
      const dn = digitalNumbers(img, pass, band, incidence);
      for (let line = 0; line < img.lines; line += 64) {
        yield dn.subarray(line * img.samples, Math.min(img.lines, line + 64) * img.samples);
      }
    };
  await writeSafe(join(folder, productFile(pass)), {
    sensor,
    name: productName(sensor, absoluteOrbit(pass)),
    absoluteOrbit: absoluteOrbit(pass),
    incidence,
    bands: [
      { polarisation: "VV", rows: rows(0) },
      { polarisation: "VH", rows: rows(1) },
    ],
  });
  writeFileSync(
    join(folder, thumbnailFile(productName(sensor, absoluteOrbit(pass)))),
    quicklook(digitalNumbers(img, pass, 0, incidence), img.samples, img.lines),
  );
  if (pass === FRAMED) {
    for (const frame of framesOf(pass)) {
      const part = (band: 0 | 1) =>
        function* () {
          const dn = digitalNumbers(img, pass, band, incidence);
          for (let line0 = frame.line0; line0 < frame.line0 + frame.sensor.lines; line0 += 64) {
            yield dn.subarray(
              line0 * img.samples,
              Math.min(frame.line0 + frame.sensor.lines, line0 + 64) * img.samples,
            );
          }
        };
      await writeSafe(join(folder, "archive", `${frame.name}.zip`), {
        sensor: frame.sensor,
        name: frame.name,
        absoluteOrbit: absoluteOrbit(pass),
        incidence,
        line0: frame.line0,
        bands: [
          { polarisation: "VV", rows: part(0) },
          { polarisation: "VH", rows: part(1) },
        ],
      });
      writeFileSync(
        join(folder, thumbnailFile(frame.name)),
        quicklook(
          digitalNumbers(img, pass, 0, incidence).subarray(
            frame.line0 * img.samples,
            (frame.line0 + frame.sensor.lines) * img.samples,
          ),
          img.samples,
          frame.sensor.lines,
        ),
      );
    }
  }
  if (pass.preciseOrbit) {
    const stateVectors = trueVectors(pass, -290, 290);
    writeFileSync(
      join(folder, orbitFileName(stateVectors)),
      orbitFileText(stateVectors, absoluteOrbit(pass)),
    );
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
