import { useState } from "react";
import {
  Bar,
  BarChart,
  CartesianGrid,
  ErrorBar,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { Estimate } from "@hindglance/core/accuracy/estimates";
import type {
  ClassOutcome,
  Outcome,
  OutcomeAccuracy,
  ZoneOutcome,
} from "@hindglance/core/accuracy/outcome";
import { isNearChange } from "@hindglance/core/accuracy/sample";
import { zoneName } from "@hindglance/core/tally/zoneName";
import type { ChangeMap } from "../api/types";
import { areaSaid, number } from "../lib/format";
import { Choice } from "../ui/Choice";
import { HeadRow } from "../ui/HeadRow";
import { Hint } from "../ui/Hint";
import { cx } from "../ui/cx";
import { namesOf } from "./classes";
import { areaText, km2, shareText } from "./estimateText";

interface Props {
  map: ChangeMap;
  outcome: Outcome;
  zones: readonly ZoneOutcome[];
  /** Whether it is of places that stand for the map, and not of areas of known class. */
  isOfPlaces: boolean;
}

/** What a sample says of a map: how right it is, of what, and the areas that follow. */
export function OutcomePicture({ map, outcome, zones, isOfPlaces }: Props) {
  const { accuracy } = outcome;
  return (
    <div className="flex h-full flex-col gap-2.5 overflow-auto bg-bone px-5 py-3.5 text-ink">
      {accuracy ? (
        <>
          <Headline {...{ accuracy, isOfPlaces }} places={outcome.places} />
          <Matrix {...{ map, accuracy, isOfPlaces }} />
          <Classes {...{ map, accuracy, isOfPlaces }} />
          {isOfPlaces && (
            <div className="grid min-h-[190px] flex-1 grid-cols-2 gap-3">
              <AdjustedBars map={map} accuracy={accuracy} />
              {zones.length > 0 && <Zones map={map} zones={zones} />}
            </div>
          )}
        </>
      ) : (
        <p className="text-soft">
          No place of this sample was looked at yet: look at some under Look, and what they say of
          the map stands here.
        </p>
      )}
    </div>
  );
}

interface HeadlineProps {
  accuracy: OutcomeAccuracy;
  places: number;
  isOfPlaces: boolean;
}

function Headline({ accuracy, places, isOfPlaces }: HeadlineProps) {
  const { overall, kappa, quantity, allocation } = accuracy;
  return (
    <div className="flex items-end justify-between gap-4">
      <h1 className="text-figure font-bold">
        {number(100 * overall.value, 1)} % right{" "}
        <span className="text-[18px] font-normal text-soft">
          {overall.low === null
            ? noInterval(isOfPlaces)
            : `${number(100 * overall.low, 1)}–${number(100 * overall.high!, 1)} % at 95 %`}
        </span>
      </h1>
      <p className="text-right text-label text-soft">
        {number(places)} {isOfPlaces ? "places" : "cells"} · wrong in amount {shareText(quantity)}{" "}
        %, in place {shareText(allocation)} %
        <br />
        <Hint text="Kappa takes off what chance alone would get right. It says little beside overall accuracy and is hard to read (Pontius & Millones 2011); it is here for who is asked for it.">
          kappa
        </Hint>{" "}
        {kappa ? number(kappa.value, 3) : "–"}
        {kappa?.standardError != null && ` ± ${number(1.96 * kappa.standardError, 3)}`}
      </p>
    </div>
  );
}

const noInterval = (isOfPlaces: boolean): string =>
  isOfPlaces ? "no interval yet" : "of the cells in the test areas";

type Shown = "places" | "area";

/** Heads of a table on one line, however long the names of classes are. */
const ShortHeads = ({ names }: { names: readonly string[] }) => (
  <thead>
    <tr className="text-soft">
      {names.map((name, k) => (
        <th
          key={name}
          scope="col"
          title={name}
          className={cx(
            "max-w-[96px] truncate pl-2 font-normal",
            k === 0 ? "pl-0! text-left" : "text-right",
          )}
        >
          {name}
        </th>
      ))}
    </tr>
  </thead>
);

interface PartProps {
  map: ChangeMap;
  accuracy: OutcomeAccuracy;
  isOfPlaces: boolean;
}

/** The error matrix: rows are the map, columns are what the places are. */
function Matrix({ map, accuracy, isOfPlaces }: PartProps) {
  const [shown, setShown] = useState<Shown>("places");
  const { labels, units, shares, areaM2 } = accuracy;
  const nameOf = namesOf(map);
  const cells = shown === "places" ? units : shares.map((row) => row.map((one) => one * areaM2));
  const said = (value: number) => (shown === "places" ? number(value) : km2(value));
  const sum = (values: readonly number[]) => values.reduce((all, one) => all + one, 0);
  return (
    <section
      className="shrink-0 overflow-x-auto rounded-card border border-line bg-paper px-4 py-2"
      aria-label="Error matrix"
    >
      <div className="mb-1 flex items-center justify-between gap-3">
        <h2 className="text-label text-soft">
          Error matrix: rows are the map, columns the reference
          {shown === "area" && ", km² by the sample"}
        </h2>
        {isOfPlaces && (
          <Choice<Shown>
            label="What the matrix is in"
            value={shown}
            onChange={setShown}
            options={[
              { value: "places", name: "places" },
              { value: "area", name: "km²" },
            ]}
          />
        )}
      </div>
      <table className="w-full text-[12px] leading-[17px]">
        <ShortHeads names={["map \\ reference", ...labels.map(nameOf), "all"]} />
        <tbody>
          {cells.map((row, i) => (
            <tr key={labels[i]}>
              <th scope="row" className="max-w-[150px] truncate text-left font-medium">
                {nameOf(labels[i]!)}
              </th>
              {row.map((value, j) => (
                <td
                  key={labels[j]}
                  className={cx(
                    "text-right font-mono",
                    i === j && "font-semibold",
                    i !== j && value > 0 && "text-after",
                  )}
                >
                  {value === 0 ? "·" : said(value)}
                </td>
              ))}
              <td className="text-right font-mono text-soft">{said(sum(row))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** Accuracies and areas by class, with their 95 % intervals. */
function Classes({ map, accuracy, isOfPlaces }: PartProps) {
  const nameOf = namesOf(map);
  const row = (one: ClassOutcome) => [
    ...(isOfPlaces ? [km2(one.mappedM2), areaText(one.area)] : []),
    shareText(one.users),
    shareText(one.producers),
    shareText(one.f1),
    one.kappa ? number(one.kappa.value, 2) : "–",
  ];
  return (
    <section
      className="shrink-0 overflow-x-auto rounded-card border border-line bg-paper px-4 py-2"
      aria-label="By class"
    >
      <table className="w-full text-[12px] leading-[17px]">
        <HeadRow
          names={[
            "class",
            ...(isOfPlaces ? ["mapped", "adjusted, km² (95 %)"] : []),
            "user's, %",
            "producer's, %",
            "F1, %",
            "kappa",
          ]}
        />
        <tbody>
          {accuracy.classes.map((one) => (
            <tr key={one.label}>
              <th scope="row" className="max-w-[150px] truncate text-left font-medium">
                {nameOf(one.label)}
              </th>
              {row(one).map((text, k) => (
                <td key={k} className="whitespace-nowrap pl-2 text-right font-mono">
                  {text}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** An adjusted area and how far its interval reaches to both sides, km². */
function barOf({ value, low, high }: Estimate) {
  const around = [(value - (low ?? value)) / 1e6, ((high ?? value) - value) / 1e6];
  return { adjusted: value / 1e6, around };
}

/** Mapped areas beside those that the sample adjusts, with their intervals; without no change. */
function AdjustedBars({ map, accuracy }: { map: ChangeMap; accuracy: OutcomeAccuracy }) {
  const nameOf = namesOf(map);
  const rows = accuracy.classes
    .filter(({ label }) => label !== 0)
    .map(({ label, mappedM2, area }) => ({
      name: nameOf(label),
      mapped: mappedM2 / 1e6,
      ...(area && barOf(area)),
    }));
  return (
    <section className="flex flex-col rounded-card border border-line bg-paper px-4 py-2.5">
      <h2 className="mb-1 text-label text-soft">
        <span className="text-soft">Mapped</span> and{" "}
        <span className="font-semibold text-spruce">adjusted</span> areas, km²
      </h2>
      <div className="min-h-0 flex-1">
        <ResponsiveContainer width="100%" height="100%">
          <BarChart
            layout="vertical"
            data={rows}
            margin={{ left: 4, right: 14 }}
            accessibilityLayer
          >
            <CartesianGrid horizontal={false} stroke="#e4dfd3" />
            <XAxis type="number" tick={{ fontSize: 11, fill: "#5b6866" }} stroke="#b9b2a0" />
            <YAxis
              type="category"
              dataKey="name"
              width={110}
              tick={{ fontSize: 11, fill: "#1d2a2b" }}
              stroke="#b9b2a0"
            />
            <Tooltip
              formatter={(value) => `${number(Number(value), 3)} km²`}
              contentStyle={{ fontSize: 12, borderRadius: 8, borderColor: "#d8d3c6" }}
              cursor={{ fill: "#efece4" }}
            />
            <Bar dataKey="mapped" fill="#b9b2a0" isAnimationActive={false} />
            <Bar dataKey="adjusted" fill="#1f6658" isAnimationActive={false}>
              <ErrorBar
                dataKey="around"
                direction="x"
                stroke="#1d2a2b"
                strokeWidth={1.4}
                width={4}
              />
            </Bar>
          </BarChart>
        </ResponsiveContainer>
      </div>
    </section>
  );
}

/** Zone by zone, where enough places lie in it. */
function Zones({ map, zones }: { map: ChangeMap; zones: readonly ZoneOutcome[] }) {
  const first = map.info.classes?.[0];
  const names = map.provenance.zones?.names;
  const areaOf = ({ outcome }: ZoneOutcome) =>
    outcome?.accuracy?.classes.find(({ label }) => label === first?.label)?.area;
  return (
    <section
      className="overflow-auto rounded-card border border-line bg-paper px-4 py-2.5"
      aria-label="By zone"
    >
      <table className="w-full text-[12px] leading-[17px]">
        <HeadRow names={["zone", "places", "right %", `${first?.name ?? ""}, km² (95 %)`]} />
        <tbody>
          {zones.map((one) => {
            const area = areaOf(one);
            return (
              <tr key={one.zone}>
                <th scope="row" className="text-left font-medium">
                  {zoneName(names, one.zone)}
                </th>
                <td className="text-right font-mono">{number(one.places)}</td>
                {one.outcome?.accuracy ? (
                  <>
                    <td className="text-right font-mono">
                      {shareText(one.outcome.accuracy.overall)}
                    </td>
                    <td className="text-right font-mono">{areaText(area ?? null)}</td>
                  </>
                ) : (
                  <td colSpan={2} className="text-right text-soft">
                    too few places in a class
                  </td>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}

/** What is left out of an outcome, and how far those who looked agree. */
export function OutcomeNotes({
  map,
  outcome: { leftOut, accuracy },
  left,
}: {
  map: ChangeMap;
  outcome: Outcome;
  left: { open: number; unsure: number; disputed: number };
}) {
  const nameOf = namesOf(map);
  const nameOfStratum = (stratum: Outcome["leftOut"][number]) =>
    isNearChange(stratum) ? "no change near change" : nameOf(stratum.label).toLowerCase();
  const notes = [
    ...(left.open > 0 ? [`${number(left.open)} places are not looked at yet`] : []),
    ...(left.unsure > 0 ? [`${number(left.unsure)} cannot be told and do not count`] : []),
    ...(left.disputed > 0
      ? [`${number(left.disputed)} are disputed: as many say this as that; they do not count`]
      : []),
    ...leftOut.map(
      (stratum) =>
        `No place of ${nameOfStratum(stratum)} was looked at: its ${areaSaid(stratum.areaM2)} are left out of every figure`,
    ),
    ...(accuracy?.overall.standardError === null
      ? ["A class has a single place: intervals need two"]
      : []),
  ];
  return notes.length === 0 ? null : (
    <ul className="list-disc pl-4 text-soft" aria-label="What is left out">
      {notes.map((text) => (
        <li key={text}>{text}</li>
      ))}
    </ul>
  );
}
