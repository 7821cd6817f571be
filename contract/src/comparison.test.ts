import { emptySetup } from "@hindglance/core/change/defaults";
import { comparisonChangeSchema, comparisonSchema, pairSchema } from "./comparison";

const ID = "00000000-0000-4000-8000-000000000001";
const setup = emptySetup({ looks: 4, hasStudyArea: true, hasElevation: true });
const strict = { strict: true } as const;

test("what a study compares: a pair with settings, and what it was left with of other kinds", () => {
  const one = { beforeId: ID, afterId: ID, setup };
  expect(comparisonSchema.isValidSync(one, strict)).toBe(true);
  expect(comparisonSchema.isValidSync({ ...one, others: { optical: one } }, strict)).toBe(true);
  expect(comparisonSchema.isValidSync({ beforeId: null, afterId: null, setup: null }, strict)).toBe(
    true,
  );
});

test.each([
  ["a field that there is not", { extra: 1 }],
  ["an id that is none", { beforeId: "7" }],
  ["another kind of scene", { others: { sonar: null } }],
  ["a band that is no number", { setup: { ...setup, band: "0" } }],
  ["a class without conditions and label", { setup: { ...setup, rules: [{ name: "x" }] } }],
])("%s is refused", (_what, wrong) => {
  const value = { beforeId: ID, afterId: ID, setup, ...wrong };
  expect(comparisonSchema.isValidSync(value, strict)).toBe(false);
});

test("a pair that is to be computed lacks nothing", () => {
  expect(pairSchema.isValidSync({ beforeId: ID, afterId: ID, setup }, strict)).toBe(true);
  expect(pairSchema.isValidSync({ beforeId: ID, afterId: null, setup }, strict)).toBe(false);
  expect(pairSchema.isValidSync({ beforeId: ID, afterId: ID, setup: null }, strict)).toBe(false);
});

test("two classes of one name are refused with the name", () => {
  const rules = setup.rules.map((rule) => ({ ...rule, name: "Water" }));
  expect(() =>
    pairSchema.validateSync({ beforeId: ID, afterId: ID, setup: { ...setup, rules } }, strict),
  ).toThrow('Two classes are called "Water"');
});

test("changes are measured unless that is not wanted", () => {
  expect(comparisonChangeSchema.cast({ changes: [] })).toEqual({ changes: [], measure: "yes" });
  expect(comparisonChangeSchema.isValidSync({ changes: [], measure: "perhaps" })).toBe(false);
  expect(
    comparisonChangeSchema.isValidSync({ changes: [{ op: "explode", path: "" }] }, strict),
  ).toBe(false);
});
