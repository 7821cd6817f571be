import { SAID, SAID_LOOKS, saidAreas, saidShares } from "@hindglance/core/change/confirmed";
import { confirmsSaid } from "@hindglance/core/change/sentences";
import { rulesOn } from "@hindglance/core/change/rules";
import type { ImageInfo } from "@hindglance/core/graph/image";

import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import { transitionsText } from "@hindglance/core/change/transitions";
import { probableArea } from "@hindglance/core/doubt/areas";
import { waterOf } from "@hindglance/core/flood/depths";
import { Tally } from "@hindglance/core/tally/tally";
import { NO_CHANGE } from "@hindglance/core/tally/classNames";
import { IN_NO_ZONE, zoneName } from "@hindglance/core/tally/zoneName";
import { csvLine } from "@hindglance/formats/tables/csv";
import type { StandingArea } from "@hindglance/contract/verdicts";
import type { ChangeMap, SceneRecord } from "../db/changeMaps";
import { type TestOfMap, accuracyBlocks } from "./accuracyTable";
import { type Row, rounded } from "./rounded";
import { limitName } from "@hindglance/core/change/limits/all";

/**
 * One line of a tally: a class in a zone, or in all zones (zone null). Shares are of the cells seen
 * there.
 */
export interface TallyRow {
  zone: string | null;
  label: number;
  name: string;
  color: string;
  cells: number;
  areaM2: number;
  sharePercent: number;
}

/** How cells were grouped, and which groups are which class. */
function groupingText({ method, of, groups, classes }: Grouping): string {
  const named = classes.map(
    ({ name, groups: own }) => `${name}: groups ${own.join(", ") || "none"}`,
  );
  const way = method === "kMeans" ? "k-means" : "ISODATA";
  return `${way} of ${of}, ${groups} groups; ${named.join("; ")}`;
}

/** Where classes come from: transitions, groups or rules. */
function classesLine({ transitions, groups, rules }: ChangeSetup): Row {
  if (transitions) {
    return ["from–to", transitionsText(transitions)];
  }
  if (groups) {
    return ["groups", groupingText(groups)];
  }
  const said = rulesOn(rules).map(({ name, all }) => {
    const conditions = all.map(({ layer, op, value }) => `${layer} ${op} ${value}`);
    return `${name}: ${conditions.join(" and ")}`;
  });
  return ["rules", said.join("; ")];
}

/**
 * Areas of every class, first of the whole map, then zone by zone. Cells of no date (255) are left
 * out.
 */
export function tallyRows(
  map: Pick<ChangeMap, "tally" | "provenance">,
  info: ImageInfo,
): TallyRow[] {
  const tally = Tally.from(map.tally);
  const classes = [...info.classes!, NO_CHANGE];
  const names = map.provenance.zones?.names ?? [];
  const rows = (
    zone: string | null,
    of: (label: number) => { cells: number; areaM2: number },
  ): TallyRow[] => {
    const seen = classes.reduce((s, classInfo) => s + of(classInfo.label).areaM2, 0);
    return classes.map((classInfo) => {
      const value = of(classInfo.label);
      return {
        zone,
        label: classInfo.label,
        name: classInfo.name,
        color: classInfo.color,
        ...value,
        sharePercent: seen > 0 ? (value.areaM2 / seen) * 100 : 0,
      };
    });
  };
  const out = rows(null, (label) => tally.total(label));
  if (names.length) {
    names.forEach((n, k) => out.push(...rows(n, (label) => tally.of(label, k + 1))));
    if (classes.some((classInfo) => tally.of(classInfo.label, 0).cells > 0)) {
      out.push(...rows(IN_NO_ZONE, (label) => tally.of(label, 0)));
    }
  }
  return out;
}

/** What reviewers said of a map, and who they are. */
export interface Reviewed {
  areas: readonly StandingArea[];
  reviewers: readonly { reviewer: string; patches: number }[];
}

/** Areas by verdict, where anything was said: by class, of the whole map and by zone. */
function verdictLines(map: ChangeMap, info: ImageInfo, { areas, reviewers }: Reviewed): Row[] {
  if (reviewers.length === 0) {
    return [];
  }
  const classes = new Map(info.classes!.map(({ label, name }) => [label, name]));
  const zoneOf = (zone: number | null) =>
    zone === null ? "All" : zoneName(map.provenance.zones?.names, zone);
  return [
    ["zone", "class", "cells", "km2", "ha", "m2", "verdict", "patches"],
    ...areas.map(({ zone, label, standing, patches, cells, areaM2 }) => [
      zoneOf(zone),
      classes.get(label) ?? "",
      cells,
      rounded(areaM2 / 1e6, 6),
      rounded(areaM2 / 1e4, 4),
      rounded(areaM2, 2),
      standing,
      patches,
    ]),
    [
      "reviewers",
      reviewers.map(({ reviewer, patches }) => `${reviewer}: ${patches} patches`).join(", "),
    ],
  ];
}

/** Areas before edits, of a map that was written from them: by class, of the whole map and by zone. */
function editLines({ edited, provenance }: ChangeMap, info: ImageInfo): Row[] {
  if (!edited) {
    return [];
  }
  const acts = Object.entries(edited.acts).map(([kind, count]) => `${kind}: ${count}`);
  return [
    ["zone", "class", "cells before edits", "km2 before edits", "m2 before edits"],
    ...tallyRows({ tally: edited.tally, provenance }, info).map(({ zone, name, cells, areaM2 }) => [
      zone ?? "All",
      name,
      cells,
      rounded(areaM2 / 1e6, 6),
      rounded(areaM2, 2),
    ]),
    ["edited from", edited.from.name],
    ["edited by", edited.editors.join(", ")],
    ["edits", acts.join(", ")],
  ];
}

/** Probable areas, where they are counted: by class, of the whole map and by zone. */
function probableLines(map: ChangeMap, info: ImageInfo): Row[] {
  const { doubt, provenance } = map;
  if (!doubt) {
    return [];
  }
  const names = provenance.zones?.names ?? [];
  const zones = [null, ...names.map((_name, k) => k + 1), ...(names.length > 0 ? [0] : [])];
  const lines = zones.flatMap((zone) =>
    info.classes!.flatMap(({ label, name }) => {
      const probable = probableArea(doubt.sums, label, zone);
      return probable
        ? [
            [
              zone === null ? "All" : zoneName(names, zone),
              name,
              rounded(probable.areaM2 / 1e6, 6),
              rounded(probable.halfM2 / 1e6, 6),
              rounded(probable.areaM2, 2),
              rounded(probable.halfM2, 2),
            ],
          ]
        : [];
    }),
  );
  const head = ["zone", "class", "probable km2", "± km2, 95 %", "probable m2", "± m2, 95 %"];
  return [head, ...lines];
}

/** Volume and mean depth of ground that came under water, where they are measured: in all and by zone. */
function depthLines({ depth, provenance }: ChangeMap): Row[] {
  if (!depth) {
    return [];
  }
  const names = depth.sums.zones > 1 ? (provenance.zones?.names ?? []) : [];
  const zones = [null, ...names.map((_name, k) => k + 1), ...(names.length > 0 ? [0] : [])];
  const lines = zones.map((zone) => {
    const { areaM2, volumeM3, unknownM2 } = waterOf(depth.sums, depth.flooded, zone);
    return [
      zone === null ? "All" : zoneName(names, zone),
      rounded(volumeM3, 0),
      areaM2 > 0 ? rounded(volumeM3 / areaM2, 3) : "",
      rounded(areaM2, 2),
      rounded(unknownM2, 2),
    ];
  });
  const head = ["zone", "m3 over flooded ground", "mean depth m", "m2", "m2 of unknown depth"];
  return [head, ...lines];
}

/** What a second sensor says of classes, where one was asked: in all and by zone. */
function secondLines(map: ChangeMap, info: ImageInfo): Row[] {
  const { confirmed, provenance } = map;
  if (!confirmed) {
    return [];
  }
  const { labels } = confirmed.confirms;
  const names = confirmed.tally.zones > 1 ? (provenance.zones?.names ?? []) : [];
  const zones = [null, ...names.map((_name, k) => k + 1), ...(names.length > 0 ? [0] : [])];
  const lines = zones.flatMap((zone) =>
    saidAreas(confirmed.tally, labels, zone).map(({ label, areas }) => {
      const shares = saidShares(areas);
      return [
        zone === null ? "All" : zoneName(names, zone),
        info.classes!.find((one) => one.label === label)?.name ?? `class ${label}`,
        ...SAID.map((said) => rounded(areas[said].areaM2 / 1e6, 6)),
        ...SAID.map((said) => (shares ? rounded(100 * shares[said], 4) : "")),
        shares?.ofSeen == null ? "" : rounded(100 * shares.ofSeen, 4),
      ];
    }),
  );
  const words = SAID.map((said) => SAID_LOOKS[said].name);
  const head = [
    ...["zone", "class", ...words.map((word) => `${word} km2`)],
    ...[...words.map((word) => `${word} percent`), "confirmed percent of seen"],
  ];
  return [head, ...lines, ["second sensor", confirmsSaid(map) ?? ""]];
}

/** Areas of every class, of the whole map and by zone. */
const areaLines = (map: ChangeMap, info: ImageInfo): Row[] => [
  ["zone", "class", "cells", "km2", "ha", "m2", "percent of cells seen"],
  ...tallyRows(map, info).map(({ zone, name, cells, areaM2, sharePercent }) => [
    ...[zone ?? "All", name, cells],
    ...[rounded(areaM2 / 1e6, 6), rounded(areaM2 / 1e4, 4), rounded(areaM2, 2)],
    rounded(sharePercent, 4),
  ]),
];

const sceneText = (record: SceneRecord): string =>
  `${record.name}, ${record.acquiredAt ?? "no date"}, file ${record.file}, SHA-256 ${record.sha256}`;

/** Scenes of a second sensor, where one was asked. */
const secondInputs = ({ second }: ChangeMap["provenance"]): Row[] => [
  ...(second?.before ? [["second sensor near before", sceneText(second.before)]] : []),
  ...(second ? [["second sensor near after", sceneText(second.after)]] : []),
];

/** What a map was made from and how, each with its name first. */
export function inputLines(map: ChangeMap): Row[] {
  const provenance = map.provenance;
  const scene = sceneText;
  return [
    ["map", map.name],
    ["study", provenance.study],
    ["before", scene(provenance.before)],
    ["after", scene(provenance.after)],
    ...(provenance.series?.normal ?? []).map((date) => ["normal by", scene(date)]),
    ...(provenance.series?.watched ?? []).map((date) => ["watched", scene(date)]),
    ...secondInputs(provenance),
    ...(provenance.elevation ? [["elevation", scene(provenance.elevation)]] : []),
    ...(provenance.cover ? [["land cover", scene(provenance.cover)]] : []),
    ...(provenance.zones
      ? [
          [
            "zones",
            `${provenance.zones.name}, file ${provenance.zones.file}, SHA-256 ${provenance.zones.sha256}`,
          ],
        ]
      : []),
    ["grid", provenance.grid],
    [
      "measure",
      provenance.setup.measure === "formula"
        ? `formula ${provenance.setup.formula ?? ""}`
        : provenance.setup.measure,
    ],
    ...(provenance.covers
      ? [
          ["classified before", scene(provenance.covers.before)],
          ["classified after", scene(provenance.covers.after)],
        ]
      : []),
    classesLine(provenance.setup),
    ...(map.tally.limits ?? []).map((limit) => [
      "limit",
      limitName(limit.name),
      -limit.droppedCells,
      rounded(-limit.droppedM2 / 1e6, 6),
      rounded(-limit.droppedM2 / 1e4, 4),
      rounded(-limit.droppedM2, 2),
      "",
      `${limit.addedCells} cells given a class`,
    ]),
    ...(provenance.evidence ?? []).map(({ tone, text }) => ["evidence", tone, text]),
    ...(provenance.warnings ?? []).map((text) => ["warning", text]),
    ["parameters", JSON.stringify(provenance.setup)],
    ["identity", provenance.nodeHash],
    ["written", `${provenance.writtenAt} by ${provenance.program}`],
    ["areas", "on the WGS 84 ellipsoid, sum of cell areas"],
  ];
}

/** A table of a map: the lines that stand together, under a name. */
export interface TableBlock {
  name: string;
  rows: Row[];
}

/** Everything that is counted of a map, block by block: its areas first, what it was made from last. */
export const tallyBlocks = (
  map: ChangeMap,
  info: ImageInfo,
  reviewed: Reviewed,
  tests: readonly TestOfMap[],
): TableBlock[] =>
  [
    { name: "Areas", rows: areaLines(map, info) },
    { name: "Before edits", rows: editLines(map, info) },
    { name: "Probable areas", rows: probableLines(map, info) },
    { name: "Verdicts", rows: verdictLines(map, info, reviewed) },
    ...accuracyBlocks(map, info, tests).map((rows, k) => ({
      name: k === 0 ? "Accuracy" : `Accuracy ${k + 1}`,
      rows,
    })),
    { name: "Second sensor", rows: secondLines(map, info) },
    { name: "Depth", rows: depthLines(map) },
    { name: "Inputs", rows: inputLines(map) },
  ].filter(({ rows }) => rows.length > 0);

/** The table as CSV with its inputs recalled below it, so that it can be defended on its own. */
export const tallyCsv = (blocks: readonly TableBlock[]): string =>
  blocks.map(({ rows }) => rows.map(csvLine).join("")).join(csvLine([]));
