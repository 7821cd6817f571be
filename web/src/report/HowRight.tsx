import { Link } from "react-router";
import type { Estimate } from "@hindglance/core/accuracy/estimates";
import type { ProbableArea } from "@hindglance/core/doubt/areas";
import type { ClassOutcome, Outcome } from "@hindglance/core/accuracy/outcome";
import { areaText, km2, shareText } from "../accuracy/estimateText";
import { type Tested, sampleText, useTested } from "../accuracy/useTested";
import type { ChangeMap, TallyRow } from "../api/types";
import { number } from "../lib/format";
import { useStanding } from "../review/useVerdicts";
import { probableOf } from "../tally/probable";
import { HeadRow } from "../ui/HeadRow";

/** Areas of a map as mapped, probable and adjusted, how right its classes are, and who says so. */
export function HowRight({ map }: { map: ChangeMap }) {
  const tested = useTested(map);
  const accuracy = tested?.outcome.accuracy ?? null;
  const rows = map.rows.filter(({ zone, label, cells }) => zone === null && label > 0 && cells > 0);
  return (
    <section
      className="shrink-0 overflow-x-auto rounded-card border border-line bg-paper px-4 py-2.5"
      aria-label="How right it is"
    >
      <p className="mb-1">
        <Verified tested={tested} map={map} />
        <Reviewed map={map} />
      </p>
      <table className="w-full text-[12.5px] leading-[18px]">
        <HeadRow
          names={[
            ...["km² (95 %)", "mapped", "probable"],
            ...(accuracy ? ["adjusted", "user’s %", "producer’s %"] : []),
          ]}
        />
        <tbody>
          {rows.map((row) => (
            <ClassRow
              key={row.label}
              {...{ map, row }}
              of={tested ? saidOf(tested.outcome, row.label) : null}
            />
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** What a sample says of a class; null where nobody looked at any place. */
const saidOf = ({ accuracy }: Outcome, label: number): ClassOutcome | "left out" | null =>
  accuracy && (accuracy.classes.find((one) => one.label === label) ?? "left out");

interface ClassRowProps {
  map: ChangeMap;
  row: TallyRow;
  /** What the sample says of it; null without a sample. */
  of: ClassOutcome | "left out" | null;
}

/** A probable area with the ends of its interval, square metres; none is below nothing. */
const intervalOf = ({ areaM2, halfM2 }: ProbableArea) => ({
  value: areaM2,
  low: Math.max(0, areaM2 - halfM2),
  high: areaM2 + halfM2,
});

function ClassRow({ map, row, of }: ClassRowProps) {
  const probable = probableOf(map, row.label);
  const seen = of !== null && of !== "left out" && of.area ? { ...of, area: of.area } : null;
  return (
    <tr>
      <th scope="row" className="max-w-[180px] truncate text-left font-medium" title={row.name}>
        {row.name}
      </th>
      <Figure said={km2(row.areaM2)} />
      <Figure said={areaText(probable && intervalOf(probable))} />
      {of && !seen && (
        <td colSpan={3} className="pl-3 text-right text-soft">
          no place of it was looked at
        </td>
      )}
      {seen && (
        <>
          <Figure said={areaText(seen.area)} />
          <Figure said={shareText(seen.users)} />
          <Figure said={shareText(seen.producers)} />
        </>
      )}
    </tr>
  );
}

const Figure = ({ said }: { said: string }) => (
  <td className="whitespace-nowrap pl-3 text-right font-mono">{said}</td>
);

/** The interval of a share in brackets; nothing where there is none. */
const intervalText = ({ low, high }: Estimate): string =>
  low === null || high === null
    ? ""
    : ` (${number(100 * low, 1)}–${number(100 * high, 1)} at 95 %)`;

/** How much of the map is right by a sample, and who looked; or that nobody did. */
function Verified({ tested, map }: { tested: Tested | null | undefined; map: ChangeMap }) {
  const address = `/studies/${map.studyId}/review?map=${map.id}&of=accuracy`;
  if (tested === undefined) {
    return <span className="text-soft">Loading …</span>;
  }
  const accuracy = tested?.outcome.accuracy;
  if (!accuracy) {
    return (
      <>
        <b>Not tested:</b> nobody looked at places of a sample of this map.{" "}
        <Link className="underline" to={address}>
          Plan a sample
        </Link>
        .{" "}
      </>
    );
  }
  const { sample, outcome } = tested;
  const names = sample.interpreters.map(({ interpreter }) => interpreter).join(", ");
  return (
    <>
      <b>{number(100 * accuracy.overall.value, 1)} % right</b>
      {intervalText(accuracy.overall)} by{" "}
      <Link className="underline" to={address}>
        {sampleText(tested)}
      </Link>
      : {number(outcome.places)} places that {names} could tell.{" "}
    </>
  );
}

/** How much of the map reviewers went through. */
function Reviewed({ map }: { map: ChangeMap }) {
  const standing = useStanding(map).data;
  if (!standing) {
    return null;
  }
  const said = standing.reviewers
    .filter(({ patches }) => patches > 0)
    .map(({ reviewer, patches }) => `${reviewer}: ${number(patches)}`);
  return (
    <span className="text-soft">
      {said.length > 0
        ? `Verdicts on patches, of ${number(map.patchCount)}: ${said.join(", ")}.`
        : "No patch has a verdict."}
    </span>
  );
}
