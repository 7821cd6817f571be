// Draws docs/reliability-of-doubt.svg from the maps of the made-up world: npm run reliability
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import type { ReliabilityBin } from "@hindglance/core/doubt/calibration";
import { isRecord } from "@hindglance/core/values";
import { reliabilityDiagram } from "@hindglance/world/facts/reliability";

/** What a program of the world prints. */
function printed(program: string): unknown {
  return JSON.parse(
    execFileSync(process.execPath, [`dist/world/${program}.js`], {
      ...{ encoding: "utf8", maxBuffer: 1 << 26 },
    }),
  );
}

const isBins = (value: unknown): value is ReliabilityBin[] =>
  Array.isArray(value) && value.every((one) => isRecord(one) && typeof one.said === "number");

/** Tenths of the probabilities of a map, by where they stand in what is printed. @throws Error without any */
function binsAt(from: unknown, ...path: string[]): ReliabilityBin[] {
  const found = [...path, "bins"].reduce<unknown>(
    (value, name) => (isRecord(value) ? value[name] : undefined),
    from,
  );
  if (!isBins(found)) {
    throw new Error(`Nothing is printed at ${path.join(", ")}`);
  }
  return found;
}

const change = printed("changeFacts");
const cover = printed("coverFacts");
writeFileSync(
  "docs/reliability-of-doubt.svg",
  reliabilityDiagram([
    { name: "flood, first map", colour: "#c8246f", bins: binsAt(change, "flood", "doubt") },
    {
      ...{ name: "fire, published breaks", colour: "#b8562f" },
      bins: binsAt(change, "fireDoubt", "dNBR, published breaks"),
    },
    {
      ...{ name: "fire, first map", colour: "#e09f5a" },
      bins: binsAt(change, "fireDoubt", "dNBR, first map"),
    },
    {
      ...{ name: "land cover, likelihood, smoothed", colour: "#1f6658" },
      bins: binsAt(cover, "likelihood, smoothed", "doubt"),
    },
    {
      ...{ name: "land cover, forest", colour: "#3f6aa8" },
      bins: binsAt(cover, "forest", "doubt"),
    },
  ]),
);
