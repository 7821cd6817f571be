import { LONLAT } from "@hindglance/core/geodesy/crs";
import { emptySetup } from "@hindglance/core/change/defaults";
import { northUp } from "@hindglance/core/grid/grid";
import { comparisonViewSchema } from "./comparison";

const HASH = "0123456789abcdef0123456789abcdef";
const ID = "0a000000-0000-4000-8000-000000000001";
const node = {
  hash: HASH,
  info: { grid: northUp(LONLAT, 20, -30, 0.01, 0.01, 10, 10), type: "float32", bands: [] },
  levels: 1,
  block: 512,
};
const setup = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
/** A view of a study that compares nothing yet, and what a test changes of it. */
const view = (more: object = {}) => ({
  version: 3,
  comparison: null,
  nodes: null,
  areas: null,
  notRun: [],
  problem: null,
  ...more,
});
const nodes = {
  pictures: null,
  ...{ before: node, after: node, stack: node, gated: node, classes: node },
  groups: null,
  warnings: ["The two dates are of different passes."],
  blurs: ["mean of 5 × 5 cells"],
  series: null,
  confirmed: null,
  second: null,
};
const check = (value: unknown) => comparisonViewSchema.validateSync(value, { strict: true });

test.each<[string, object]>([
  ["nothing chosen", {}],
  ["a pair", { comparison: { beforeId: ID, afterId: null, setup: null } }],
  ["a pair with settings", { comparison: { beforeId: ID, afterId: ID, setup } }],
  [
    "pairs of other kinds",
    {
      comparison: {
        beforeId: null,
        afterId: null,
        setup: null,
        others: { optical: { beforeId: ID, afterId: ID, setup }, other: null },
      },
    },
  ],
  ["nodes", { nodes }],
  ["a series", { nodes: { ...nodes, series: { normal: ["April"], watched: ["May"] } } }],
  [
    "pictures and groups",
    { nodes: { ...nodes, pictures: { before: node, after: node }, groups: { groups: node } } },
  ],
  [
    "areas that are known",
    { areas: { state: "known", hash: HASH, tally: { zones: 1, entries: [] } } },
  ],
  ["areas that are measured", { areas: { state: "measuring", hash: HASH, runId: ID } }],
  ["areas that wait", { areas: { state: "notRun", hash: HASH } }],
  ["dates that were not run", { notRun: [{ sceneId: ID, name: "2 May" }] }],
  ["a problem", { problem: { message: "No bands in common", field: null, hint: "Take another." } }],
])("an answer with %s fits", (_what, more) => {
  expect(check(view(more))).toEqual(view(more));
});

test.each<[string, object, RegExp]>([
  ["no version", { version: undefined }, /version/],
  [
    "a comparison of half a pair",
    { comparison: { beforeId: ID, setup: null } },
    /comparison.*afterId/,
  ],
  [
    "settings that are none",
    { comparison: { beforeId: ID, afterId: ID, setup: {} } },
    /comparison/,
  ],
  ["nodes without classes", { nodes: { ...nodes, classes: undefined } }, /classes/],
  [
    "a node whose hash is none",
    { nodes: { ...nodes, stack: { ...node, hash: "x" } } },
    /stack\.hash/,
  ],
  ["areas in no state that there is", { areas: { state: "lost", hash: HASH } }, /areas/],
  ["areas that are known and not there", { areas: { state: "known", hash: HASH } }, /areas.*tally/],
  [
    "a run without a name",
    { areas: { state: "measuring", hash: HASH, runId: "r" } },
    /areas.*runId/,
  ],
  ["more than the page knows of", { more: 1 }, /more/],
])("an answer with %s is refused by what is wrong", (_what, more, message) => {
  expect(() => check(view(more))).toThrow(message);
});
