import type { DoubtScore } from "./facts/doubt";
import { MADE_PAIRS } from "./pairs/catalogue";
import { type PairScore, scoreOf } from "./pairs/score";
import { BURN_GROUND, BURN_PAIRS, burnMaps } from "./pairs/burnStudy";
import { INDEX_PAIRS, indexGround, indexMap } from "./pairs/indexStudy";
import { landscapeOf } from "./pairs/landscape";
import type { OpticalScore } from "./pairs/opticalPair";
import { PairStudy, SMOOTHINGS } from "./pairs/study";

// First maps of made-up pairs, untouched, against what really happened between their dates: two
// with every filter, the others with the filter that Compare begins with. Prints JSON for the tests
// and for the tables of docs/methods.md.

/** A first map with what the page said of the pair. */
interface Fact {
  name: string;
  happened: boolean;
  score: PairScore;
  said: string[];
  /** Agreement by the change alone where there is a flood, by the method that finds its threshold. */
  alone: Record<string, number | null>;
  /** How the doubt of the first map holds; of pairs in which something happened. */
  doubt: DoubtScore | null;
}

const facts: Fact[] = [];
/** Agreement by pair and filter, of the first pairs. */
const filters: Record<string, Record<string, PairScore>> = {};
const WITH_FILTERS = MADE_PAIRS.slice(0, 2);
for (const pair of MADE_PAIRS) {
  const study = await PairStudy.of(pair);
  const alone: Fact["alone"] = {};
  for (const { method, labels } of pair.happened ? await study.changeAlone() : []) {
    alone[method] = scoreOf(labels, study.real).iou;
  }
  const every = WITH_FILTERS.includes(pair);
  for (const smoothing of every ? SMOOTHINGS : SMOOTHINGS.slice(0, 1)) {
    const { first, labels, doubt } = await study.map(smoothing);
    const score = scoreOf(labels, study.real);
    if (every) {
      (filters[pair.name] ??= {})[smoothing.name] = score;
    }
    if (smoothing === SMOOTHINGS[0]) {
      const said = first.evidence.notes.map(({ text }) => text);
      const doubted = pair.happened ? await doubt() : null;
      facts.push({ name: pair.name, happened: pair.happened, score, said, alone, doubt: doubted });
    }
  }
}
const burns: {
  name: string;
  happened: boolean;
  plain: OpticalScore;
  score: OpticalScore;
  said: string[];
}[] = [];
const ground = landscapeOf(BURN_GROUND);
for (const pair of BURN_PAIRS) {
  const { plain, score, first } = await burnMaps(ground, pair);
  const said = first.evidence.notes.map(({ text }) => text);
  burns.push({ name: pair.name, happened: pair.happened, plain, score, said });
}
const indices: { name: string; happened: boolean; score: OpticalScore; said: string[] }[] = [];
const indexed = indexGround();
for (const pair of INDEX_PAIRS) {
  const { score, first } = await indexMap(indexed, pair);
  const said = first.evidence.notes.map(({ text }) => text);
  indices.push({ name: pair.name, happened: pair.happened, score, said });
}
console.log(JSON.stringify({ facts, filters, burns, indices }));
