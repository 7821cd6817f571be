import { seriesFacts } from "./facts/series";
import { buildGround } from "./ground";

// What departs from normal in a radar series of the flood, and what the test of all its dates finds,
// against the truth of the world; prints JSON for the tests and for the tables of docs/methods.md.
console.log(JSON.stringify(await seriesFacts(buildGround(27))));
