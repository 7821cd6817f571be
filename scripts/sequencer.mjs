import { createRequire } from "node:module";

const Sequencer = createRequire(import.meta.url)("@jest/test-sequencer").default;

/** Tests that score made-up worlds: minutes each, on one core. */
const isLong = ({ path }) => /[/\\]world[/\\]src[/\\](world|\w+Facts)\.test\.ts$/.test(path);

/** Begins with what takes longest, so that at the end no core waits for a single test. */
export default class LongestFirst extends Sequencer {
  sort(tests) {
    const sorted = super.sort(tests);
    return [...sorted.filter(isLong), ...sorted.filter((test) => !isLong(test))];
  }
}
