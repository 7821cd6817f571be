import type { ReactNode } from "react";
import { Link } from "react-router";
import { rulesOn } from "@hindglance/core/change/rules";
import { transitionsText } from "@hindglance/core/change/transitions";
import { measureUnit } from "@hindglance/core/change/measures/all";
import type { ChangeMap, SceneRecord } from "../../api/types";
import { dayYear, time } from "../../lib/format";
import { answersSaid } from "../../scenes/answers";
import { Warning } from "../../ui/Messages";
import { Prepared, isPrepared } from "./Prepared";
import { groupsSaid, limitsSaid, measureSaid, sentence } from "@hindglance/core/change/sentences";

type Row = [name: string, said: ReactNode];

const FileLine = ({ file, sha256 }: { file: string; sha256: string }) => (
  <span
    className="block truncate font-mono text-[11px] text-soft"
    title={`${file}\nSHA-256 ${sha256}`}
  >
    {sha256.slice(0, 8)}… {file}
  </span>
);

const SceneOf = ({ record }: { record: SceneRecord }) => (
  <>
    {record.name}
    {record.acquiredAt ? `, ${dayYear(record.acquiredAt)} ${time(record.acquiredAt)}` : ""}
    {record.band ? `, ${record.band}` : ""} <FileLine file={record.file} sha256={record.sha256} />
    {answersSaid(record.answers).map(([name, said]) => (
      <span key={name} className="block text-soft">
        Said at import: {name.toLowerCase()} {said}
      </span>
    ))}
    {record.position && <Warning>{record.position}</Warning>}
  </>
);

/** Dates of the series that the measure looked at, by their part in it. */
const seriesOf = ({ series }: ChangeMap["provenance"]): [string, SceneRecord[]][] =>
  series
    ? [
        ["Normal by", series.normal],
        ["Watched", series.watched],
      ]
    : [];

/** Scenes, zones and how the dates were prepared. */
function filesOf({ provenance }: ChangeMap): Row[] {
  const { before, after, elevation, cover, covers, zones } = provenance;
  const rows: Row[] = [
    ["Before", <SceneOf record={before} />],
    ["After", <SceneOf record={after} />],
  ];
  if (elevation) {
    rows.push(["Elevation", <SceneOf record={elevation} />]);
  }
  if (cover) {
    rows.push(["Land cover", <SceneOf record={cover} />]);
  }
  if (covers) {
    rows.push(["Classified before", <SceneOf record={covers.before} />]);
    rows.push(["Classified after", <SceneOf record={covers.after} />]);
  }
  if (provenance.second?.before) {
    rows.push(["Second, before", <SceneOf record={provenance.second.before} />]);
  }
  if (provenance.second) {
    rows.push(["Second, after", <SceneOf record={provenance.second.after} />]);
  }
  for (const [name, dates] of seriesOf(provenance)) {
    rows.push([name, dates.map((record) => <SceneOf key={record.sha256} record={record} />)]);
  }
  if (zones) {
    const said = (
      <>
        {zones.name} <FileLine file={zones.file} sha256={zones.sha256} />
      </>
    );
    rows.push(["Zones", said]);
  }
  if (isPrepared(provenance)) {
    rows.push(["Prepared", <Prepared provenance={provenance} />]);
  }
  return rows;
}

/** A named class and what belongs to it, one a line. */
const Classes = ({ all }: { all: { label: number; name: string; said: string }[] }) => (
  <>
    {all.map(({ label, name, said }) => (
      <div key={label}>
        <b className="font-medium">{name}</b>: {said}
      </div>
    ))}
  </>
);

/** Where the classes come from: transitions, groups of like cells, or rules. */
function classesOf({ setup, provenance }: ChangeMap): Row[] {
  if (setup.transitions) {
    return [["From–to", transitionsText(setup.transitions)]];
  }
  if (setup.groups) {
    const all = setup.groups.classes.map(({ label, name, groups }) => ({
      label,
      name,
      said: groups.length ? `group ${groups.join(", ")}` : "no group",
    }));
    return [
      ["Groups", groupsSaid(setup.groups)],
      ["Classes", <Classes all={all} />],
    ];
  }
  const unit = measureUnit(setup.measure, provenance.unit ?? "dB");
  const all = rulesOn(setup.rules).map(({ label, name, all: conditions }) => ({
    label,
    name,
    said: sentence(conditions, provenance.unit, unit, provenance.second?.unit),
  }));
  return [["Rules", <Classes all={all} />]];
}

const TONE = { found: "Found", none: "Not found", doubt: "In doubt" } as const;

/** What the pair itself showed, and what was to be said about it. */
function evidenceOf({ provenance: { evidence = [], warnings = [] } }: ChangeMap): Row[] {
  const said = [
    ...evidence.map(({ tone, text }) => ({ head: TONE[tone], text })),
    ...warnings.map((text) => ({ head: "Warning", text })),
  ];
  return said.length === 0
    ? []
    : [
        [
          "Evidence",
          said.map(({ head, text }) => (
            <div key={text}>
              <b className="font-medium">{head}</b>: {text}
            </div>
          )),
        ],
      ];
}

function rowsOf(map: ChangeMap): Row[] {
  const { provenance, setup } = map;
  const limits = limitsSaid(map).map((said, k) => <div key={k}>{said}</div>);
  const written = `${dayYear(provenance.writtenAt)} ${time(provenance.writtenAt)}`;
  const lines = `/studies/${map.studyId}/report?of=ledger&lines=map&map=${map.id}`;
  return [
    [
      "Ledger",
      <Link className="text-spruce underline" to={lines}>
        Every line that made this map
      </Link>,
    ],
    ...filesOf(map),
    ["Measure", measureSaid(setup, provenance.unit ?? "dB")],
    ...classesOf(map),
    ["Limits", limits],
    ...evidenceOf(map),
    ["Grid", provenance.grid],
    ["Written", `${written} by ${provenance.program}`],
    ["Identity", <span className="break-all font-mono text-[11px]">{provenance.nodeHash}</span>],
  ];
}

/** What a map was made from: recalled under every table, so that the table can be defended. */
export const Inputs = ({ map }: { map: ChangeMap }) => (
  <dl className="grid grid-cols-[76px_1fr] gap-x-3 gap-y-1.5">
    {rowsOf(map).map(([name, said]) => (
      <div key={name} className="contents">
        <dt className="text-soft">{name}</dt>
        <dd className="min-w-0">{said}</dd>
      </div>
    ))}
  </dl>
);
