import { SMALL_PAIRS, smallScore } from "./pairs/smallStudy";
import { UNCHANGED, falseAlarmsOn } from "./pairs/unchanged";

// Small changes: false alarms on unchanged ground beside what was asked for, and how many of the
// things that came or went between the dates of made-up pairs are found. Prints JSON for the tests
// and for the tables of docs/methods.md.

/** Images of 93 km² each: forty for the table, or as many as are asked for. */
const IMAGES = Number(process.argv[2] ?? 40);
/** One false alarm in so many square kilometres. */
const ASKED = [1, 10];

const alarms = UNCHANGED.flatMap((ground) => falseAlarmsOn(ground, ASKED, IMAGES));
const found = [];
for (const pair of SMALL_PAIRS) {
  found.push(await smallScore(pair, 10));
}
console.log(JSON.stringify({ alarms, found }));
