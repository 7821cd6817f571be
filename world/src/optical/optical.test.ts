import { execFileSync } from 'node:child_process';
import { resolve } from 'node:path';

interface Facts { errors: Record<'before' | 'darkObject' | 'cost', number[]>; severityCells: number[]; meanDnbr: number[] }
// Built beside the server; test runners slow such loops down too much to run them here.
const facts = JSON.parse(execFileSync(process.execPath, [resolve('dist/world/opticalFacts.js')], { encoding: 'utf8' })) as Facts;

test('surface reflectance against the clean truth: from blue to green four tenths of the error are left, or less', () => {
  for (const k of [0, 1, 2]) expect(facts.errors.darkObject[k]!).toBeLessThan(0.4 * facts.errors.before[k]!);
  for (const k of [5, 6]) expect(facts.errors.darkObject[k]!).toBeLessThan(0.012);
});
test('the fire is where the truth says, of every severity, and dNBR tells the severities apart', () => {
  expect(facts.severityCells.slice(1).every((n) => n > 500)).toBe(true);
  for (let k = 1; k < 4; k++) expect(facts.meanDnbr[k]! - facts.meanDnbr[k - 1]!).toBeGreaterThan(0.1);
  expect(Math.abs(facts.meanDnbr[0]!)).toBeLessThan(0.08);
});
