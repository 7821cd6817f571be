import { number } from "../lib/format";
import type { Stretch } from "./layers";
import { type Breaks, type Ramp, breakColours } from "./ramps";

const digits = (stretch: Stretch): number => {
  if (stretch.hi - stretch.lo < 0.2) {
    return 3;
  }
  if (stretch.hi - stretch.lo < 5) {
    return 2;
  }
  if (stretch.hi - stretch.lo < 50) {
    return 1;
  }
  return 0;
};

/**
 * What the colours of one band mean: a bar with its ends and middle, or a box a class of break
 * points.
 */
export function RampLegend({
  name,
  unit,
  ramp,
  stretch,
  breaks,
}: {
  name: string;
  unit: string;
  ramp: Ramp;
  stretch: Stretch;
  breaks: Breaks | null;
}) {
  const distance = digits(stretch);
  const colours = breaks ? breakColours(breaks, ramp) : [];
  return (
    <figure
      aria-label={`Legend of ${name}`}
      className="pointer-events-none rounded-field bg-night/85 px-2.5 py-1.5 text-[11px] text-white"
    >
      <figcaption className="mb-1 text-[#d5dbd8]">
        {name}
        {unit ? `, ${unit}` : ""}
      </figcaption>
      {breaks ? (
        <ul>
          {breaks.names.map((n, k) => (
            <li key={k} className="flex items-center gap-1.5">
              <span
                aria-hidden
                className="h-2.5 w-2.5 rounded-[2px]"
                style={{ background: colours[k] }}
              />
              <span>{n}</span>
              <span className="font-mono text-[#aeb8b4]">
                {k === 0
                  ? `< ${number(breaks.at[0] ?? 0, 2)}`
                  : `≥ ${number(breaks.at[k - 1]!, 2)}`}
              </span>
            </li>
          ))}
        </ul>
      ) : (
        <>
          <div
            aria-hidden
            className="h-2.5 w-[150px] rounded-[2px]"
            style={{ background: `linear-gradient(90deg, ${ramp.stops.join(", ")})` }}
          />
          <div className="mt-0.5 flex justify-between font-mono">
            <span>{number(stretch.lo, distance)}</span>
            <span>{number((stretch.lo + stretch.hi) / 2, distance)}</span>
            <span>{number(stretch.hi, distance)}</span>
          </div>
        </>
      )}
    </figure>
  );
}

/** Classes in their colours. */
export function ClassLegend({
  title,
  classes,
}: {
  title: string;
  classes: readonly { label: number; name: string; color: string }[];
}) {
  return (
    <figure
      aria-label={`Legend of ${title}`}
      className="pointer-events-none rounded-field bg-night/85 px-2.5 py-1.5 text-[11px] text-white"
    >
      <ul>
        {classes.map((c) => (
          <li key={c.label} className="flex items-center gap-1.5">
            <span
              aria-hidden
              className="h-2.5 w-2.5 rounded-[2px] border border-white/30"
              style={{ background: c.color }}
            />
            {c.name}
          </li>
        ))}
      </ul>
    </figure>
  );
}
