import { fireFacts } from "./facts/fire";
import { floodFacts } from "./facts/flood";
import { greennessFacts } from "./facts/greenness";
import { buildGround } from "./ground";

// Maps of the flood, the fire and of greenness by presets as they come and after refinement, limit
// by limit, against the truth of the world; prints JSON for the tests and for the tables of
// docs/methods.md.
const ground = buildGround(27);
const { maps: fire, doubt } = await fireFacts(ground);
console.log(
  JSON.stringify({
    flood: await floodFacts(ground),
    fire,
    fireDoubt: doubt,
    greenness: await greennessFacts(ground),
  }),
);
