import type { LegendClass } from "@hindglance/core/classify/settings";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { cx } from "../ui/cx";
import { HeadRow } from "../ui/HeadRow";
import { Scatter } from "./Scatter";
import { Spectra } from "./Spectra";
import type { TrainingOnScreen } from "./useTraining";

/** Jeffries–Matusita distances below which two classes are taken for each other, or may be. */
const POOR = 1.7;
const FAIR = 1.9;

type Pair = NonNullable<TrainingOnScreen["data"]>["pairs"][number];

const nameOf = (legend: readonly LegendClass[], label: number): string =>
  legend.find((one) => one.label === label)?.name ?? `class ${label}`;

/** What to do about the pairs that are worst. */
function Advice({ pairs, legend }: { pairs: readonly Pair[]; legend: readonly LegendClass[] }) {
  const worst = pairs
    .filter(({ apart }) => apart.jeffriesMatusita < FAIR)
    .sort((a, b) => a.apart.jeffriesMatusita - b.apart.jeffriesMatusita)
    .slice(0, 3);
  if (worst.length === 0) {
    return <p className="mt-2 text-soft">Every pair of classes lies apart.</p>;
  }
  return (
    <ul className="mt-2 space-y-1">
      {worst.map(({ first, second, apart }) => (
        <li key={`${first} ${second}`} className="text-warnink">
          {nameOf(legend, first)} and {nameOf(legend, second)}:{" "}
          {apart.jeffriesMatusita < POOR
            ? "hardly told apart. Merge them, draw more areas, or give them another input."
            : "will be mixed up here and there. More areas or another input may help."}
        </li>
      ))}
    </ul>
  );
}

/** Inputs in the order of what they add. */
function Ranking({ data: { ranked, inputs } }: { data: NonNullable<TrainingOnScreen["data"]> }) {
  return ranked.length < 2 ? null : (
    <table className="mt-3 w-full text-label" aria-label="What each input adds">
      <HeadRow names={["input by what it adds", "mean distance", "least"]} />
      <tbody>
        {ranked.map(({ input, mean, least }, k) => (
          <tr key={input}>
            <th scope="row" className="text-left font-medium">
              {k > 0 ? "+ " : ""}
              {inputs[input]}
            </th>
            <td className="text-right font-mono">{number(mean, 2)}</td>
            <td className="text-right font-mono">{number(least, 2)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const toneOf = (distance: number): string => {
  if (distance < POOR) {
    return "bg-[#e9b8a6]";
  }
  return distance < FAIR ? "bg-[#f1dfae]" : "bg-[#e3ebe5]";
};

/** How far every pair of classes lies apart. */
export function ApartSection({
  training: { data },
  legend,
  besides,
}: {
  training: TrainingOnScreen;
  legend: readonly LegendClass[];
  /** Inputs that are no bands of the date. */
  besides: readonly string[];
}) {
  // A model that knows no spread of its classes says nothing of how far they lie apart.
  if (!data || data.ranked.length === 0) {
    return null;
  }
  const labels = data.classes.map(({ label }) => label);
  const pairOf = (a: number, b: number) =>
    data.pairs.find(({ first, second }) => first === a && second === b);
  return (
    <Section title="Are the classes apart?">
      <Spectra data={data} legend={legend} besides={besides} />
      <p className="my-2 text-soft">
        Jeffries–Matusita distance on this date: 2 is apart, 0 the same.
      </p>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Distances of classes">
        <table className="w-full border-separate border-spacing-px text-label">
          <thead>
            <tr>
              <td />
              {labels.slice(1).map((label) => (
                <th key={label} scope="col" className="max-w-[44px] truncate px-0.5 font-medium">
                  {nameOf(legend, label)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {labels.slice(0, -1).map((row, r) => (
              <tr key={row}>
                <th scope="row" className="pr-1.5 text-left font-medium">
                  {nameOf(legend, row)}
                </th>
                {labels.slice(1).map((column, c) => {
                  const pair = c >= r ? pairOf(row, column) : undefined;
                  return pair ? (
                    <td
                      key={column}
                      title={`${nameOf(legend, row)} and ${nameOf(legend, column)}: transformed divergence ${number(pair.apart.transformedDivergence, 2)}`}
                      className={cx(
                        "rounded-[3px] px-1 py-0.5 text-center font-mono",
                        toneOf(pair.apart.jeffriesMatusita),
                      )}
                    >
                      {number(pair.apart.jeffriesMatusita, 2)}
                    </td>
                  ) : (
                    <td key={column} />
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <Advice pairs={data.pairs} legend={legend} />
      <Ranking data={data} />
      <Scatter data={data} legend={legend} />
    </Section>
  );
}
