import { buildGround } from "./ground";
import { PASSES } from "./mission";
import { writeProduct } from "./products";

// products.js FOLDER SEED INDEXES: writes some of the radar scenes.
const [folder = "", seed, indexes = ""] = process.argv.slice(2);
const ground = buildGround(Number(seed));
for (const i of indexes.split(",")) {
  await writeProduct(folder, ground, PASSES[Number(i)]!);
}
