import { ChangedElsewhere, changesBetween, withChanges } from "./changes";

const rules = () => [
  { name: "New water", value: -3 },
  { name: "Standing water", value: -17 },
];

test("one changed number travels alone, with a test of what it was", () => {
  const before = { band: 0, rules: rules() };
  const after = { band: 0, rules: [{ name: "New water", value: -4 }, rules()[1]] };
  expect(changesBetween(before, after)).toEqual([
    { op: "test", path: "/rules/0/value", value: -3 },
    { op: "replace", path: "/rules/0/value", value: -4 },
  ]);
});

test("changes bring the one to the other, whatever is added, removed or moved", () => {
  const before = { a: null, list: [1, 2, 3, 4], gone: true, deep: { x: [{ y: 1 }] } };
  const after = { a: { b: 1 }, list: [2, 4, 5], deep: { x: [{ y: 2 }, { y: 3 }] }, fresh: [] };
  expect(withChanges(before, changesBetween(before, after))).toEqual(after);
  expect(withChanges(after, changesBetween(after, before))).toEqual(before);
  expect(withChanges(null, changesBetween(null, after))).toEqual(after);
});

test("two people who change different things keep both", () => {
  const base = { band: 0, rules: rules() };
  const mine = changesBetween(base, { ...base, band: 1 });
  const theirs = { ...base, rules: [rules()[0], { name: "Standing water", value: -15 }] };
  expect(withChanges(theirs, mine)).toEqual({ ...theirs, band: 1 });
});

test("a change of what was changed meanwhile is refused and names the place", () => {
  const base = { rules: rules() };
  const mine = changesBetween(base, { rules: [{ name: "New water", value: -4 }, rules()[1]] });
  const theirs = { rules: [{ name: "New water", value: -2 }, rules()[1]] };
  expect(() => withChanges(theirs, mine)).toThrow(ChangedElsewhere);
  expect(() => withChanges(theirs, mine)).toThrow("/rules/0/value");
  expect(theirs.rules[0]).toEqual({ name: "New water", value: -2 });
});

test("what is undefined is absent, and equal values need no change", () => {
  expect(changesBetween({ a: 1, b: undefined }, { a: 1 })).toEqual([]);
  expect(changesBetween(null, null)).toEqual([]);
});
