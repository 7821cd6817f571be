import { limitsSet } from "@hindglance/core/change/limits/all";
import { measureUnit } from "@hindglance/core/change/measures/all";
import { SHOWN_WORDS } from "@hindglance/core/change/transitions";
import { METHOD_NAMES } from "@hindglance/core/classify/model";
import type { Smoothing } from "@hindglance/core/classify/settings";
import { rulesOn } from "@hindglance/core/change/rules";
import { STEPS_OF } from "@hindglance/core/chain/family";
import type { Difference } from "@hindglance/core/recipe/differences";
import type { Recipe, RecipeClasses, RecipeCompare } from "@hindglance/core/recipe/recipe";
import { FRAME_NAMES } from "@hindglance/core/sheet/layout";
import { number } from "../../lib/format";
import { measureSaid, sentence } from "@hindglance/core/change/sentences";

/** A line about a recipe: what it is about, and what it says. */
export interface RecipeLine {
  about: string;
  said: Said[];
}

/** A sentence; of a class, its name apart. */
interface Said {
  name?: string;
  text: string;
}
const plain = (...texts: string[]): Said[] => texts.map((text) => ({ text }));

const percent = (share: number): string => `${number(100 * share, 0)} %`;

/** How both dates are prepared. */
function datesSaid({ family, chain, cellSize }: Recipe): string {
  if (!family) {
    return "As they were taken in.";
  }
  const cells = cellSize === null ? "" : ` Cells of ${number(cellSize, 1)} m.`;
  if (!chain) {
    return `Prepared as a study of ${family} dates proposes.${cells}`;
  }
  const steps = STEPS_OF[family].filter(({ key }) => chain[key]?.on === true);
  return `${steps.map(({ name }) => name).join(" · ")}.${cells}`;
}

/** Whether a band is radar power, which is compared in decibels. */
const isPower = (band: string): boolean => /^(VV|VH|HH|HV|gamma|sigma|beta)/i.test(band);

function comparedSaid(compare: RecipeCompare): string {
  const { band, bands: _bands, groups: _groups, second: _second, ...rest } = compare;
  const unit = isPower(band) ? "dB" : "";
  return `${band}: ${measureSaid({ ...rest, band: 0 }, unit)}`;
}

const FOUND = "Found anew in each pair, by what the pair itself shows.";

function classLines(compare: RecipeCompare, isFound: boolean): RecipeLine[] {
  const unit = isPower(compare.band) ? "dB" : "";
  const own = measureUnit(compare.measure, unit);
  const second = isPower(compare.second?.look.band ?? "") ? "dB" : "";
  const rules = rulesOn(compare.rules).map(({ name, all }) =>
    isFound ? { text: name } : { name, text: sentence(all, unit, own, second) },
  );
  return [
    { about: "Classes", said: rules },
    { about: "Thresholds", said: plain(isFound ? FOUND : "Those of the classes, in every pair.") },
  ];
}

const SMOOTH_OFF = "Cells stay as they are found.";

/** How a classified map is cleaned. */
function smoothSaid(smooth: Smoothing | null): string {
  const { majorityCells, minPatchCells } = smooth ?? { majorityCells: null, minPatchCells: null };
  const said = [
    majorityCells && `The most frequent class of ${majorityCells} × ${majorityCells} cells.`,
    minPatchCells && `Patches of fewer than ${minPatchCells} cells go to what is around them.`,
  ].filter(Boolean);
  return said.join(" ") || SMOOTH_OFF;
}

/** How dates are classified for what became of what. */
function classifiedSaid({ by }: RecipeClasses): string[] {
  return by
    ? [`${METHOD_NAMES[by.method]}, on areas that the study knows.`, smoothSaid(by.smooth)]
    : ["As the study has it under Classify."];
}

/** How dates are compared. */
function compareLines({ compare, classes, thresholds }: Recipe): RecipeLine[] {
  if (classes) {
    return [
      { about: "Classified", said: plain(...classifiedSaid(classes)) },
      { about: "Classes", said: plain(`What became of what, ${SHOWN_WORDS[classes.show]}.`) },
      ...(compare ? [{ about: "Limits", said: limitsOf(compare) }] : []),
    ];
  }
  if (!compare) {
    return [
      { about: "Compared", said: plain("As a study with such dates begins.") },
      { about: "Thresholds", said: plain(FOUND) },
    ];
  }
  return [
    { about: "Compared", said: plain(comparedSaid(compare)) },
    ...classLines(compare, thresholds === "found"),
    { about: "Limits", said: limitsOf(compare) },
  ];
}

function limitsOf({ limits: all }: RecipeCompare): Said[] {
  const limits = limitsSet(all).map(({ part, own }) => part.said(own));
  return plain(...(limits.length > 0 ? limits : ["None."]));
}

/** A recipe in words, line by line. */
export const recipeLines = (recipe: Recipe): RecipeLine[] => [
  ...(recipe.note ? [{ about: "Note", said: plain(recipe.note) }] : []),
  { about: "Dates", said: plain(datesSaid(recipe)) },
  ...(recipe.align
    ? [
        {
          about: "Aligned",
          said: plain(`The later date is laid on the earlier one: ${recipe.align}.`),
        },
      ]
    : []),
  ...compareLines(recipe),
  { about: "Sheet", said: plain(sheetSaid(recipe)) },
  {
    about: "Look first",
    said: plain(
      `Less than ${percent(recipe.lookFirst.leastSeen)} seen on both dates`,
      `Fewer than ${number(recipe.lookFirst.leastCells, 0)} cells changed`,
      `A threshold on which more than ${percent(recipe.lookFirst.mostSwing)} hangs`,
    ),
  },
];

/** The sheet that maps are put on. */
function sheetSaid({ sheet }: Recipe): string {
  if (!sheet) {
    return "Laid out as is proposed for the ground of each map.";
  }
  const { paper, isUpright, frames } = sheet.layout;
  const names = frames.map(({ kind }) => FRAME_NAMES[kind].toLowerCase());
  return `${paper}, ${isUpright ? "portrait" : "landscape"}: ${names.join(", ")}.`;
}

const leafSaid = (leaf: Difference["from"]): string => {
  if (leaf === null) {
    return "none";
  }
  return typeof leaf === "number" ? number(leaf, 3).replace(/[.]?0+$/, "") : String(leaf);
};

/** A difference in words: where it stands, and what either has. */
export const differenceSaid = ({ path, from, to }: Difference): [where: string, what: string] => [
  path.join(" › "),
  `${leafSaid(from)} → ${leafSaid(to)}`,
];
