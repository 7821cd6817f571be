// Draws docs/reliability-of-doubt.svg from the maps of the made-up world: npm run reliability
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import type { Calibration } from "@hindglance/core/doubt/calibration";
import { reliabilityDiagram } from "../world/src/facts/reliability";

/** What a program of the world prints. */
function printed<T>(program: string): T {
  const out = execFileSync(process.execPath, [`dist/world/${program}.js`], {
    ...{ encoding: "utf8", maxBuffer: 1 << 26 },
  });
  return JSON.parse(out) as T;
}

const { flood, fireDoubt } = printed<{
  flood: { doubt: Calibration };
  fireDoubt: Record<string, Calibration>;
}>("changeFacts");
const cover = printed<Record<string, { doubt?: Calibration }>>("coverFacts");
const shown: [name: string, colour: string, Calibration][] = [
  ["flood, first map", "#c8246f", flood.doubt],
  ["fire, published breaks", "#b8562f", fireDoubt["dNBR, published breaks"]!],
  ["fire, first map", "#e09f5a", fireDoubt["dNBR, first map"]!],
  ["land cover, likelihood, smoothed", "#1f6658", cover["likelihood, smoothed"]!.doubt!],
  ["land cover, forest", "#3f6aa8", cover.forest!.doubt!],
];
writeFileSync(
  "docs/reliability-of-doubt.svg",
  reliabilityDiagram(shown.map(([name, colour, { bins }]) => ({ name, colour, bins }))),
);
