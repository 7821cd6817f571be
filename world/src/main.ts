import { writeLargeProduct } from "./largeProduct";
import { writeLarge } from "./large";
import { writeLargeCover } from "./largeCover";
import { writeLargeOptical } from "./largeOptical";
import { writeWorld } from "./write";

const args = process.argv.slice(2);
const option = (name: string, otherwise: string) => {
  const k = args.indexOf(`--${name}`);
  return k >= 0 ? (args[k + 1] ?? otherwise) : otherwise;
};
const seed = Number(option("seed", "27"));
const size = option("size", "default");
const folder = option("out", size === "default" ? "data/demo" : `data/${size}`);
if (
  !Number.isInteger(seed) ||
  !["default", "large", "large-product", "large-optical", "large-cover"].includes(size)
) {
  console.error(
    "Usage: world [--out folder] [--seed whole number] [--size default|large|large-product|large-optical|large-cover]",
  );
  process.exit(2);
}
const t = Date.now();
if (size === "large") {
  await writeLarge(folder, seed);
} else if (size === "large-product") {
  await writeLargeProduct(folder, seed);
} else if (size === "large-optical") {
  await writeLargeOptical(folder, seed);
} else if (size === "large-cover") {
  await writeLargeCover(folder, seed);
} else {
  await writeWorld(folder, seed);
}
console.log(`Wrote the demo files to ${folder} in ${((Date.now() - t) / 1000).toFixed(1)} s`);
