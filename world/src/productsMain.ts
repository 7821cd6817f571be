import { buildGround } from "./ground";
import { PASSES } from "./mission";
import { writeProduct } from "./products";
import { endWithStarter } from "./starter";

// products.js FOLDER SEED INDEXES: writes some of the radar scenes.
const [folder = "", seed, indexes = ""] = process.argv.slice(2);
endWithStarter(process.ppid);
const ground = buildGround(Number(seed));
for (const i of indexes.split(",")) {
  // Between two scenes it is looked who is there still.
  await new Promise((ok) => setTimeout(ok, 1));
  await writeProduct(folder, ground, PASSES[Number(i)]!);
}
