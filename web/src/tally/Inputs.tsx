import { type Chain, STEPS_OF, familyOfChain, settingText } from "@hindglance/core/chain/family";
import type { Condition } from "@hindglance/core/change/rules";
import { type Grouping } from "@hindglance/core/change/setup";
import type { ChangeMap, SceneRecord } from "../api/types";
import { dayYear, number, time } from "../lib/format";
import type { ReactNode } from "react";
import { measureUnit } from "@hindglance/core/change/measures/all";
import { measureOf } from "@hindglance/core/change/measures/all";
import { limitsSet } from "@hindglance/core/change/limits/all";

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
/** The steps of a chain that are on, each with its setting. */
function chainText(chain: Chain): string {
  const family = familyOfChain(chain);
  return STEPS_OF[family]
    .filter((step) => chain[step.key]?.on)
    .map((step) => `${step.name.toLowerCase()} ${settingText(family, chain, step.key)}`)
    .join(" · ");
}

/** A rule in words. @param measure unit of the measure, where it is not that of the bands */
export const sentence = (all: Condition[], unit = "dB", measure = unit): string =>
  all
    .map((condition) => {
      let ownUnit: string;
      if (condition.layer === "cover") {
        ownUnit = "";
      } else if (condition.layer === "slope") {
        ownUnit = "°";
      } else if (condition.layer === "elevation" || condition.layer === "drainage") {
        ownUnit = "m";
      } else if (condition.layer === "measure") {
        ownUnit = measure;
      } else {
        ownUnit = unit;
      }
      return `${WORD[condition.layer] ?? condition.layer} ${SIGN[condition.op] ?? condition.op} ${number(condition.value, condition.layer === "cover" ? 0 : ownUnit ? 1 : 2)}${ownUnit === "°" || !ownUnit ? ownUnit : ` ${ownUnit}`}`;
    })
    .join(" and ");
const groupsSaid = (grouping: Grouping): string =>
  `${grouping.method === "kMeans" ? "k-means" : "ISODATA"}, ${grouping.groups} groups of ${{ differences: "the differences of all bands", both: "all bands of both dates", measure: "the measure", before: "all bands of before", after: "all bands of after" }[grouping.of]}`;

/** What a map was made from: recalled under every table, so that the table can be defended. */
export function Inputs({ map }: { map: ChangeMap }) {
  const provenance = map.provenance;
  const setup = map.setup;
  const limits = setup.limits;
  const scene = (record: SceneRecord) => (
    <>
      {record.name}
      {record.acquiredAt ? `, ${dayYear(record.acquiredAt)} ${time(record.acquiredAt)}` : ""}
      {record.band ? `, ${record.band}` : ""}{" "}
      <span
        className="block truncate font-mono text-[11px] text-soft"
        title={`${record.file}\nSHA-256 ${record.sha256}`}
      >
        {record.sha256.slice(0, 8)}… {record.file}
      </span>
    </>
  );
  const set = limitsSet(limits).filter(
    ({ part }) => part.key !== "studyArea" || provenance.studyAreaSha256,
  );
  const limitsSaid = set.map(({ part, own }) => part.said(own));
  const limitNames = set.map(({ part }) => part.key);
  const effectOf = (name: string): string => {
    const effect = map.tally.limits?.find((limit) => limit.name === name);
    return effect && effect.droppedCells + effect.addedCells > 0
      ? ` (${[effect.droppedCells ? `−${number(effect.droppedM2 / 1e6, 2)}` : "", effect.addedCells ? `+${number(effect.addedM2 / 1e6, 2)}` : ""].filter(Boolean).join(", ")} km²)`
      : "";
  };
  const filter =
    setup.speckle.filter === "none"
      ? "no speckle filter"
      : `${setup.speckle.filter === "lee" ? `Lee ${setup.speckle.windowCells} × ${setup.speckle.windowCells}` : "refined Lee 7 × 7"}, ${number(setup.speckle.looks, 1)} looks`;
  const sides = [
    ["before", provenance.prepared?.before],
    ["after", provenance.prepared?.after],
  ] as const;
  const alike =
    JSON.stringify(provenance.prepared?.before?.chain) ===
    JSON.stringify(provenance.prepared?.after?.chain);
  const prepared = sides.flatMap(([name, preparedSide]) =>
    preparedSide && !(alike && name === "after")
      ? [
          <div key={name}>
            {!alike && <b className="font-medium">{name}: </b>}
            {chainText(preparedSide.chain)}
          </div>,
        ]
      : [],
  );
  const rows: [string, ReactNode][] = [
    ["Before", scene(provenance.before)],
    ["After", scene(provenance.after)],
    ...(provenance.elevation
      ? [["Elevation", scene(provenance.elevation)] as [string, ReactNode]]
      : []),
    ...(provenance.cover ? [["Land cover", scene(provenance.cover)] as [string, ReactNode]] : []),
    ...(provenance.zones
      ? [
          [
            "Zones",
            <>
              {provenance.zones.name}{" "}
              <span
                className="block truncate font-mono text-[11px] text-soft"
                title={`${provenance.zones.file}\nSHA-256 ${provenance.zones.sha256}`}
              >
                {provenance.zones.sha256.slice(0, 8)}… {provenance.zones.file}
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
                ([name, preparedSide]) =>
                  preparedSide &&
                  familyOfChain(preparedSide.chain) === "radar" && (
                    <div
                      key={`o${name}`}
                      className="truncate font-mono text-[11px] text-soft"
                      title={
                        preparedSide.orbit
                          ? `${preparedSide.orbit.file}\nSHA-256 ${preparedSide.orbit.sha256}`
                          : undefined
                      }
                    >
                      {name}:{" "}
                      {preparedSide.orbit
                        ? `${preparedSide.orbit.kind} orbit ${preparedSide.orbit.sha256.slice(0, 8)}…`
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
      `${measureOf(setup.measure).said(setup, (provenance.unit ?? "dB") === "dB")}${(provenance.unit ?? "dB") === "dB" ? `; ${filter}` : ""}`,
    ],
    ...(setup.groups
      ? [
          ["Groups", groupsSaid(setup.groups)] as [string, ReactNode],
          [
            "Classes",
            <>
              {setup.groups.classes.map((groupClass) => (
                <div key={groupClass.label}>
                  <b className="font-medium">{groupClass.name}</b>:{" "}
                  {groupClass.groups.length ? `group ${groupClass.groups.join(", ")}` : "no group"}
                </div>
              ))}
            </>,
          ] as [string, ReactNode],
        ]
      : [
          [
            "Rules",
            <>
              {setup.rules.map((rule) => (
                <div key={rule.label}>
                  <b className="font-medium">{rule.name}</b>:{" "}
                  {sentence(
                    rule.all,
                    provenance.unit,
                    measureUnit(setup.measure, provenance.unit ?? "dB"),
                  )}
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
    ["Grid", provenance.grid],
    [
      "Written",
      `${dayYear(provenance.writtenAt)} ${time(provenance.writtenAt)} by ${provenance.program}`,
    ],
    ["Identity", <span className="break-all font-mono text-[11px]">{provenance.nodeHash}</span>],
  ];
  return (
    <dl className="grid grid-cols-[76px_1fr] gap-x-3 gap-y-1.5">
      {rows.map(([k, reactNode]) => (
        <div key={k} className="contents">
          <dt className="text-soft">{k}</dt>
          <dd className="min-w-0">{reactNode}</dd>
        </div>
      ))}
    </dl>
  );
}
