import { familyOfChain, STEPS_OF } from "../prepare/chainState";
import type { Condition } from "@hindglance/core/change/rules";
import {
  type ChangeSetup,
  type Grouping,
  type LimitName,
  measureUnit,
} from "@hindglance/core/change/setup";
import type { ChangeMap, SceneRecord } from "../api/types";
import { dayYear, number, time } from "../lib/format";
import type { ReactNode } from "react";
import { STEP_WORDS, settingText } from "../prepare/steps";

const WORD: Record<string, string> = {
  measure: "change",
  drainage: "height above drainage",
  cover: "land cover",
};
const SIGN: Record<string, string> = {
  "<=": "≤",
  ">=": "≥",
  "=": "is class",
  "!=": "is not class",
};
/** A rule in words. @param measure unit of the measure, where it is not that of the bands */
export const sentence = (all: Condition[], unit = "dB", measure = unit): string =>
  all
    .map((c) => {
      const u =
        c.layer === "cover"
          ? ""
          : c.layer === "slope"
            ? "°"
            : c.layer === "elevation" || c.layer === "drainage"
              ? "m"
              : c.layer === "measure"
                ? measure
                : unit;
      return `${WORD[c.layer] ?? c.layer} ${SIGN[c.op] ?? c.op} ${number(c.value, c.layer === "cover" ? 0 : u ? 1 : 2)}${u === "°" || !u ? u : ` ${u}`}`;
    })
    .join(" and ");
const measureSaid = (s: ChangeSetup, decibel: boolean): string =>
  ({
    logRatio: "log ratio",
    difference: decibel ? "difference of decibels" : "difference, after − before",
    indexLoss: "index loss, before − after",
    relativeLoss: "relative index loss, (before − after) ÷ √|before|",
    relativeChange: "relative change, (after − before) ÷ |before|",
    decibelQuotient: "quotient of decibels, after ÷ before",
    changeVector: "length of the change vector",
    changeDirection: "direction of the change",
    noChange: "no-change probability",
    formula: s.formula ?? "",
  })[s.measure];
const groupsSaid = (g: Grouping): string =>
  `${g.method === "kMeans" ? "k-means" : "ISODATA"}, ${g.groups} groups of ${{ differences: "the differences of all bands", both: "all bands of both dates", measure: "the measure", before: "all bands of before", after: "all bands of after" }[g.of]}`;

/** What a map was made from: recalled under every table, so that the table can be defended. */
export function Inputs({ map }: { map: ChangeMap }) {
  const p = map.provenance;
  const s = map.setup;
  const l = s.limits;
  const scene = (r: SceneRecord) => (
    <>
      {r.name}
      {r.acquiredAt ? `, ${dayYear(r.acquiredAt)} ${time(r.acquiredAt)}` : ""}
      {r.band ? `, ${r.band}` : ""}{" "}
      <span
        className="block truncate font-mono text-[11px] text-soft"
        title={`${r.file}\nSHA-256 ${r.sha256}`}
      >
        {r.sha256.slice(0, 8)}… {r.file}
      </span>
    </>
  );
  const said: [LimitName, string | null][] = [
    ["seen", `seen on both dates, ${l.seenMarginCells} cells in`],
    ["studyArea", p.studyAreaSha256 && l.studyArea ? "inside study area" : null],
    ["cloud", l.cloud ? "no cloud or its shadow" : null],
    ["hidden", l.hidden ? "no layover or shadow" : null],
    [
      "elevation",
      l.elevationM ? `elevation ${l.elevationM.min ?? "…"} to ${l.elevationM.max ?? "…"} m` : null,
    ],
    ["slope", l.maxSlopeDeg !== null ? `slope ≤ ${number(l.maxSlopeDeg, 1)}°` : null],
    [
      "drainage",
      l.drainage
        ? `≤ ${number(l.drainage.maxM, 1)} m above drainage of ${number(l.drainage.leastKm2, 2)} km² or more`
        : null,
    ],
    [
      "standing",
      l.standing
        ? `not ${l.standing.op} ${number(l.standing.value, 1)} on ${l.standing.sceneIds.length} other dates`
        : null,
    ],
    ["majority", l.majorityCells ? `majority of ${l.majorityCells} × ${l.majorityCells}` : null],
    ["holes", l.holeCells ? `holes up to ${l.holeCells} cells filled` : null],
    [
      "minimumPatch",
      l.minPatchCells !== null
        ? `patch ≥ ${l.minPatchCells} cells, ${l.neighbours}-neighbour`
        : null,
    ],
  ];
  const set = said.filter((x): x is [LimitName, string] => x[1] !== null);
  const limitsSaid = set.map(([, t]) => t);
  const limitNames = set.map(([n]) => n);
  const effectOf = (name: LimitName): string => {
    const e = map.tally.limits?.find((x) => x.name === name);
    return e && e.droppedCells + e.addedCells > 0
      ? ` (${[e.droppedCells ? `−${number(e.droppedM2 / 1e6, 2)}` : "", e.addedCells ? `+${number(e.addedM2 / 1e6, 2)}` : ""].filter(Boolean).join(", ")} km²)`
      : "";
  };
  const filter =
    s.speckle.filter === "none"
      ? "no speckle filter"
      : `${s.speckle.filter === "lee" ? `Lee ${s.speckle.windowCells} × ${s.speckle.windowCells}` : "refined Lee 7 × 7"}, ${number(s.speckle.looks, 1)} looks`;
  const sides = [
    ["before", p.prepared?.before],
    ["after", p.prepared?.after],
  ] as const;
  const alike =
    JSON.stringify(p.prepared?.before?.chain) === JSON.stringify(p.prepared?.after?.chain);
  const prepared = sides.flatMap(([name, x]) =>
    x && !(alike && name === "after")
      ? [
          <div key={name}>
            {!alike && <b className="font-medium">{name}: </b>}
            {STEPS_OF[familyOfChain(x.chain)]
              .filter((k) => x.chain[k]!.on)
              .map(
                (k) =>
                  `${STEP_WORDS[familyOfChain(x.chain)][k]!.name.toLowerCase()} ${settingText(familyOfChain(x.chain), x.chain, k)}`,
              )
              .join(" · ")}
          </div>,
        ]
      : [],
  );
  const rows: [string, ReactNode][] = [
    ["Before", scene(p.before)],
    ["After", scene(p.after)],
    ...(p.elevation ? [["Elevation", scene(p.elevation)] as [string, ReactNode]] : []),
    ...(p.cover ? [["Land cover", scene(p.cover)] as [string, ReactNode]] : []),
    ...(p.zones
      ? [
          [
            "Zones",
            <>
              {p.zones.name}{" "}
              <span
                className="block truncate font-mono text-[11px] text-soft"
                title={`${p.zones.file}\nSHA-256 ${p.zones.sha256}`}
              >
                {p.zones.sha256.slice(0, 8)}… {p.zones.file}
              </span>
            </>,
          ] as [string, ReactNode],
        ]
      : []),
    ...(prepared.length
      ? [
          [
            "Prepared",
            <>
              {prepared}
              {sides.map(
                ([name, x]) =>
                  x &&
                  familyOfChain(x.chain) === "radar" && (
                    <div
                      key={`o${name}`}
                      className="truncate font-mono text-[11px] text-soft"
                      title={x.orbit ? `${x.orbit.file}\nSHA-256 ${x.orbit.sha256}` : undefined}
                    >
                      {name}:{" "}
                      {x.orbit
                        ? `${x.orbit.kind} orbit ${x.orbit.sha256.slice(0, 8)}…`
                        : "own orbit"}
                    </div>
                  ),
              )}
            </>,
          ] as [string, ReactNode],
        ]
      : []),
    [
      "Measure",
      `${measureSaid(s, (p.unit ?? "dB") === "dB")}${(p.unit ?? "dB") === "dB" ? `; ${filter}` : ""}`,
    ],
    ...(s.groups
      ? [
          ["Groups", groupsSaid(s.groups)] as [string, ReactNode],
          [
            "Classes",
            <>
              {s.groups.classes.map((c) => (
                <div key={c.label}>
                  <b className="font-medium">{c.name}</b>:{" "}
                  {c.groups.length ? `group ${c.groups.join(", ")}` : "no group"}
                </div>
              ))}
            </>,
          ] as [string, ReactNode],
        ]
      : [
          [
            "Rules",
            <>
              {s.rules.map((r) => (
                <div key={r.label}>
                  <b className="font-medium">{r.name}</b>:{" "}
                  {sentence(r.all, p.unit, measureUnit(s.measure, p.unit ?? "dB"))}
                </div>
              ))}
            </>,
          ] as [string, ReactNode],
        ]),
    [
      "Limits",
      <>
        {limitsSaid.map((t, k) => (
          <div key={k}>
            {t}
            {effectOf(limitNames[k]!)}
          </div>
        ))}
      </>,
    ],
    ["Grid", p.grid],
    ["Written", `${dayYear(p.writtenAt)} ${time(p.writtenAt)} by ${p.program}`],
    ["Identity", <span className="break-all font-mono text-[11px]">{p.nodeHash}</span>],
  ];
  return (
    <dl className="grid grid-cols-[76px_1fr] gap-x-3 gap-y-1.5">
      {rows.map(([k, v]) => (
        <div key={k} className="contents">
          <dt className="text-soft">{k}</dt>
          <dd className="min-w-0">{v}</dd>
        </div>
      ))}
    </dl>
  );
}
