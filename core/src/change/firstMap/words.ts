import { number } from "../../text/number";
import { type Decided, cellsIn, evenBefore, meanOver } from "./decide";
import type { Asked, Evidence } from "./firstMap";
import { isBetweenHeaps } from "./heaps";
import { MIXED } from "./rules";
import type { Signs } from "./signs";
import type { WaterThresholds } from "./thresholds";

/** One sentence about a pair. `tone`: something is there, nothing is, or something is not sure. */
export interface Note {
  tone: "found" | "none" | "doubt";
  text: string;
}

/** How finely a pair was looked at, and whether all of it was. */
export interface Looked {
  leastCells: number;
  cellM: number;
  isWhole: boolean;
}

/** What the words are about. */
export interface Told {
  signs: Signs;
  decided: Decided;
  at: WaterThresholds;
  asked: Asked;
  evidence: Omit<Evidence, "notes">;
  /** Whether new water may as well be water that was rough before, and nothing tells which. */
  isPerhapsWind: boolean;
  /** Whether smooth ground is in one class with standing water, since no rule parts them. */
  isMixed: boolean;
  /** Cells of flooded plants. */
  plants: number;
}

/** Decibels of water under land below which a flood can hide. */
const LEAST_CONTRAST = 5;

const decibels = (value: number): string => `${number(value, 1)} dB`;

/** Square kilometres of some cells, hectares of few. */
export function areaText(cells: number, { cellM, isWhole }: Looked): string {
  const m2 = cells * cellM ** 2;
  const area = m2 >= 1e5 ? `${number(m2 / 1e6, 1)} km²` : `${number(m2 / 1e4, 1)} ha`;
  return isWhole ? area : `${area} of the part that was looked at`;
}

/** What could have been missed. @param weak what a patch that was not seen did */
export const missedText = ({ leastCells, cellM }: Looked, weak: string): string =>
  `A patch under ${number((leastCells * cellM ** 2) / 1e4, 1)} ha, or one that ${weak}, would not have been seen.`;

/** One sentence. */
export const note = (tone: Note["tone"], text: string): Note => ({ tone, text });

function change({ decided, evidence, asked, isPerhapsWind }: Told): Note[] {
  const missed = missedText(asked, `changed by less than ${decibels(evidence.weakest)}`);
  if (isPerhapsWind) {
    const area = areaText(cellsIn(decided.newWater), asked);
    return [
      note(
        "doubt",
        `No sure sign of open water change in this pair: ${area} became as dark as water, and nearly all of that was as even before as water is. Wind can roughen a lake until it looks like land. They are a class of their own: an earlier date or a second polarisation would tell. ${missed}`,
      ),
    ];
  }
  if (!evidence.found) {
    return [note("none", `No sign of open water change in this pair. ${missed}`)];
  }
  const said = [
    ...(decided.newWater.length
      ? [`about ${areaText(cellsIn(decided.newWater), asked)} became open water`]
      : []),
    ...(decided.receded.length
      ? [`about ${areaText(cellsIn(decided.receded), asked)} of open water fell dry`]
      : []),
  ].join(", ");
  return [note("found", `${said[0]!.toUpperCase()}${said.slice(1)}. ${missed}`)];
}

function heaps({ evidence }: Told): Note[] {
  const { heaps: own } = evidence;
  return own && !isBetweenHeaps(own)
    ? [
        note(
          "doubt",
          `New water and the ground around it are hardly two heaps (Ashman's D ${number(own.d, 1)}, valley ${number(100 * own.valley)} %): much hangs on the threshold.`,
        ),
      ]
    : [];
}

function roughBefore({ signs, asked, at }: Told): Note[] {
  if (signs.roughBefore.length === 0) {
    return [];
  }
  const by = at.cross === null ? "earlier dates" : "the other polarisation";
  return [
    note(
      "doubt",
      `Water was rough on the before date, as in wind: ${areaText(cellsIn(signs.roughBefore), asked)} bright there are water by ${by} and are not counted as new.`,
    ),
  ];
}

function roughAfter({ signs, asked, decided }: Told): Note[] {
  const contrast = signs.landDb - (decided.waterAfter ?? -Infinity);
  const rough = signs.roughAfter.length
    ? [
        note(
          "doubt",
          `Water is rough on the after date, as in wind: ${areaText(cellsIn(signs.roughAfter), asked)} of known water are bright there. New water may hide among land.`,
        ),
      ]
    : [];
  return contrast < LEAST_CONTRAST
    ? [
        ...rough,
        note(
          "doubt",
          `Open water is only ${decibels(contrast)} darker than land after: edges of new water are not sharp.`,
        ),
      ]
    : rough;
}

/** New water that was as even as water before, where nothing could tell wind. */
function partlyEven({ signs, decided, at, asked, isPerhapsWind }: Told): Note[] {
  const even = evenBefore(decided, signs);
  const isTold = at.cross !== null || asked.otherIds.length > 0;
  return even.length > 0 && !isTold && !isPerhapsWind
    ? [
        note(
          "doubt",
          `${areaText(cellsIn(even), asked)} of the new water were as even before as water is. Wind can roughen a lake until it looks like land: an earlier date or a second polarisation would tell.`,
        ),
      ]
    : [];
}

function unsure({ decided, asked, isMixed }: Told): Note[] {
  const level = meanOver(decided.unsure, ({ after }) => after.mean);
  const where = isMixed
    ? `What of them is as dark as water is in the class "${MIXED}".`
    : "They are a class of their own.";
  return level === null
    ? []
    : [
        note(
          "doubt",
          `${areaText(cellsIn(decided.unsure), asked)} are dark on both dates (${decibels(level)}) and nothing tells them for water: smooth dry ground, roads and shadow look alike. ${where}`,
        ),
      ];
}

function standing({ decided, asked }: Told): Note[] {
  if (decided.standing.length === 0) {
    return [];
  }
  const area = areaText(cellsIn(decided.standing), asked);
  return [
    note(
      "doubt",
      decided.standing.some(({ plane }) => plane !== null)
        ? `Standing water (${area}) is told by being dark on both dates, level, and below its banks: smooth ground in a hollow, such as an airfield, looks the same.`
        : `Standing water (${area}) is told by its darkness alone: without elevation smooth dry ground cannot be told from it.`,
    ),
  ];
}

const refused = ({ decided, asked }: Told): Note[] =>
  decided.refused.length
    ? [
        note(
          "none",
          `${areaText(cellsIn(decided.refused), asked)} became darker, but not as dark as water: worked fields, wet snow or shadow. They are left out.`,
        ),
      ]
    : [];

const plants = ({ plants: cells, asked, at }: Told): Note[] =>
  cells
    ? [
        note(
          "doubt",
          `${areaText(cells, asked)} beside the new water became brighter${at.cross === null ? "" : ", more so in this polarisation than in the other"}: plants likely stand in water there. Wet soil can look alike.`,
        ),
      ]
    : [];

const uncalibrated = ({ asked }: Told): Note[] =>
  asked.isPhysical
    ? []
    : [
        note(
          "doubt",
          "The power of this pair is not calibrated: how dark water is cannot be known, and levels are taken from the scene alone.",
        ),
      ];

/** What a pair shows, what it may hide, and what stays in doubt. */
export const waterNotes = (told: Told): Note[] =>
  [
    change,
    uncalibrated,
    heaps,
    roughBefore,
    roughAfter,
    partlyEven,
    plants,
    unsure,
    standing,
    refused,
  ].flatMap((say) => say(told));
