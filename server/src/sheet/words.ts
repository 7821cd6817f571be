import { SAID, SAID_LOOKS, saidAreas, saidShares } from "@hindglance/core/change/confirmed";
import type { Exposure } from "@hindglance/contract/exposure";
import { amountText, cutText, layerText, peopleText } from "@hindglance/contract/exposureWords";
import { measureUnit } from "@hindglance/core/change/measures/all";
import { type Condition, rulesOn } from "@hindglance/core/change/rules";
import {
  confirmsSaid,
  groupsSaid,
  limitsSaid,
  measureSaid,
  sentence,
} from "@hindglance/core/change/sentences";
import { transitionsText } from "@hindglance/core/change/transitions";
import { waterOf } from "@hindglance/core/flood/depths";
import { peopleOf } from "@hindglance/core/exposure/people";
import type { Outcome } from "@hindglance/core/accuracy/outcome";
import type { SheetClass, SheetSection } from "@hindglance/core/sheet/facts";
import { areaSaid, number } from "@hindglance/core/text/number";
import { dayYear, time } from "@hindglance/core/text/time";
import type { ChangeMap, SceneRecord } from "../db/changeMaps";
import type { TestOfMap } from "../report/accuracyTable";

/** A time as it stands on a sheet. */
export const moment = (iso: string): string => `${dayYear(iso)} ${time(iso)}`;

/** A scene in a line: its name, when, and the band that was compared. */
export const sceneText = ({ name, acquiredAt, band }: SceneRecord): string =>
  [name, acquiredAt ? moment(acquiredAt) : "no date known", band].filter(Boolean).join(", ");

/** Letters of a checksum by which a file is told. */
const DIGITS = 12;
const fileText = ({ file, sha256 }: { file: string; sha256: string }): string =>
  `file ${file} (SHA-256 from ${sha256.slice(0, DIGITS)})`;

/** Files that a map was made from, with their dates. */
function sourceLines({ provenance }: ChangeMap): string[] {
  const { before, after, elevation, cover, covers, zones } = provenance;
  const named: [string, SceneRecord | null | undefined][] = [
    ["Before", before],
    ["After", after],
    ["Elevation", elevation],
    ["Land cover", cover],
    ["Classified before", covers?.before],
    ["Classified after", covers?.after],
    ["Second sensor near before", provenance.second?.before],
    ["Second sensor near after", provenance.second?.after],
  ];
  const scenes = named.flatMap(([name, scene]) => {
    if (!scene) {
      return [];
    }
    const told = name === "Elevation" ? scene.name : sceneText(scene);
    return [`${name}: ${told}; ${fileText(scene)}.`];
  });
  const series = provenance.series
    ? [
        `Normal by ${provenance.series.normal.map(sceneText).join("; ")}.`,
        `Watched: ${provenance.series.watched.map(sceneText).join("; ")}.`,
      ]
    : [];
  scenes.push(...series);
  return zones ? [...scenes, `Zones: ${zones.name}; ${fileText(zones)}.`] : scenes;
}

/** Where the classes of a map come from, a line each. */
function classLines({ setup, provenance }: ChangeMap): string[] {
  if (setup.transitions) {
    return [`From–to: ${transitionsText(setup.transitions)}.`];
  }
  if (setup.groups) {
    return [`Groups: ${groupsSaid(setup.groups)}.`];
  }
  const unit = measureUnit(setup.measure, provenance.unit ?? "dB");
  const said = (all: Condition[]) => sentence(all, provenance.unit, unit, provenance.second?.unit);
  return rulesOn(setup.rules).map(({ name, all }) => `${name}: ${said(all)}.`);
}

/** What a map was made from and how. */
export function sourceSections(map: ChangeMap): SheetSection[] {
  const { setup, provenance } = map;
  const limits = limitsSaid(map);
  return [
    { title: "Sources", lines: sourceLines(map) },
    {
      title: "How it was made",
      lines: [
        `Measure: ${measureSaid(setup, provenance.unit ?? "dB")}.`,
        ...classLines(map),
        ...(limits.length > 0 ? [`Limits: ${limits.join("; ")}.`] : []),
        `Grid: ${provenance.grid}. Areas are sums of cell areas on the WGS 84 ellipsoid.`,
        ...(map.edited
          ? [`Edited by hand from “${map.edited.from.name}” by ${map.edited.editors.join(", ")}.`]
          : []),
      ],
    },
  ];
}

const percent = (share: number): string => number(100 * share, 1);

/** How right the map is and who says so; or that nobody looked. */
function accuracyLines(test: TestOfMap | null, outcome: Outcome | null): string[] {
  const accuracy = outcome?.accuracy;
  if (!test || !accuracy) {
    return ["Not tested: nobody looked at places of a sample of this map."];
  }
  const { overall } = accuracy;
  const { sample, result } = test;
  const ends =
    overall.low === null || overall.high === null
      ? ""
      : ` (${percent(overall.low)}–${percent(overall.high)} %, 95 % interval)`;
  const names = sample.interpreters.map(({ interpreter }) => interpreter).join(", ");
  return [
    `${percent(overall.value)} % right${ends}, by ${number(outcome.places)} places of “${sample.name}” that ${names} could tell.`,
    ...(result.open > 0 ? [`${number(result.open)} places were not looked at.`] : []),
    ...(result.disputed > 0 ? [`${number(result.disputed)} places are disputed.`] : []),
  ];
}

/** Where probable areas come from, and what stays in doubt. */
function doubtLines({ doubt, provenance }: ChangeMap): string[] {
  const evidence = (provenance.evidence ?? [])
    .filter(({ tone }) => tone === "doubt")
    .map(({ text }) => text);
  if (!doubt) {
    return ["The doubt of this map is not counted.", ...evidence];
  }
  return ["Probable areas are sums of the probability of every cell.", ...evidence];
}

/** What a second sensor says of the classes, where one was asked. */
function secondLines(map: ChangeMap, classes: readonly SheetClass[]): string[] {
  const { confirmed } = map;
  if (!confirmed) {
    return [];
  }
  const said = saidAreas(confirmed.tally, confirmed.confirms.labels).flatMap(({ label, areas }) => {
    const shares = saidShares(areas);
    const name = classes.find((one) => one.label === label)?.name ?? `Class ${label}`;
    const parts = SAID.map(
      (one) =>
        `${SAID_LOOKS[one].name} ${areaSaid(areas[one].areaM2)} (${percent(shares?.[one] ?? 0)} %)`,
    );
    return shares ? [`${name}: ${parts.join(", ")}.`] : [];
  });
  const by = confirmsSaid(map);
  return by ? [`${by}.`, ...said] : said;
}

/** The water over flooded ground, where its depth was measured. */
function waterLines({ depth }: ChangeMap): string[] {
  if (!depth) {
    return [];
  }
  const { areaM2, volumeM3, unknownM2 } = waterOf(depth.sums, depth.flooded, null);
  const mean = areaM2 > 0 ? `, ${number(volumeM3 / areaM2, 2)} m deep in the mean` : "";
  return [
    `${number(volumeM3 / 1e6, 2)} million m³ over flooded ground${mean}, ${number(depth.sums.deepestM, 1)} m at the deepest.`,
    ...(unknownM2 > 0 ? [`Of ${areaSaid(unknownM2)} the depth is not known.`] : []),
  ];
}

/** Lines of roads that are cut, at the most; their number is told. */
const MOST_CUTS = 6;

/** Who and what lies under the classes of a map. */
function exposureLines(exposure: Exposure | null, classes: readonly SheetClass[]): string[] {
  if (!exposure) {
    return ["Not counted."];
  }
  const { people, layers, cuts } = exposure;
  const shown = classes.filter(({ areaM2 }) => areaM2 > 0);
  const perClass = (of: (label: number) => string) =>
    shown
      .map(({ label, name }) => ({ name, said: of(label) }))
      .filter(({ said }) => said !== "·")
      .map(({ name, said }) => `${name.toLowerCase()} ${said}`)
      .join("; ");
  const peopleLine = people
    ? perClass((label) => peopleText(peopleOf(people.sums, label, null)))
    : "";
  return [
    ...(people ? [`People (${people.name}): ${peopleLine || "none"}.`] : []),
    ...layers.map(
      (layer) => `${layer.name}: ${perClass((label) => layerText(layer, label)) || "none"}.`,
    ),
    ...(cuts.length > 0 ? [`Roads cut: ${number(cuts.length)}.`] : []),
    ...cuts
      .slice(0, MOST_CUTS)
      .map((cut) => `${cut.name}: ${amountText("line", cut.metres)} under water, ${cutText(cut)}.`),
  ];
}

/** What is to be known beside the numbers: how right, how sure, who is hit, what to beware of. */
export function noteSections(
  map: ChangeMap,
  classes: readonly SheetClass[],
  beside: { test: TestOfMap | null; outcome: Outcome | null; exposure: Exposure | null },
  warnings: readonly string[],
): SheetSection[] {
  const water = waterLines(map);
  const second = secondLines(map, classes);
  return [
    { title: "Accuracy", lines: accuracyLines(beside.test, beside.outcome) },
    { title: "Doubt", lines: doubtLines(map) },
    ...(second.length > 0 ? [{ title: "Second sensor", lines: second }] : []),
    ...(water.length > 0 ? [{ title: "Water", lines: water }] : []),
    { title: "Exposure", lines: exposureLines(beside.exposure, classes) },
    ...(warnings.length > 0 ? [{ title: "Warnings", lines: warnings }] : []),
  ];
}
