import { buildGround } from "./ground";
import { PASSES } from "./mission";
import { writeProduct } from "./products";

// products.js FOLDER SEED INDEXES: writes some of the radar scenes.
const [folder, seed, indexes] = process.argv.slice(2) as [string, string, string];
const g = buildGround(Number(seed));
for (const i of indexes.split(",")) {
  await writeProduct(folder, g, PASSES[Number(i)]!);
}
