import {
  SAID,
  SAID_LOOKS,
  type SaidAreas,
  saidAreas,
  saidShares,
  saidTogether,
} from "@hindglance/core/change/confirmed";
import type { Confirms } from "@hindglance/core/change/second";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { TallyData } from "@hindglance/core/tally/tally";
import { areaSaid, number } from "../../lib/format";

const percent = (share: number): string => `${number(100 * share, share < 0.1 ? 1 : 0)} %`;

/** What a second sensor says of classes, as a bar each and in figures. */
export function SecondShares({
  tally,
  confirms,
  classes,
  running = null,
}: {
  /** Null while it is not counted. */
  tally: TallyData | null;
  confirms: Pick<Confirms, "labels">;
  classes: readonly ClassInfo[];
  running?: number | null;
}) {
  if (!tally) {
    return (
      <p className="mb-2 text-soft" role="status">
        {running === null
          ? "What it says is not counted yet."
          : `Counting what it says … ${Math.round(100 * running)} %`}
      </p>
    );
  }
  const parts = saidAreas(tally, confirms.labels);
  const rows = parts.map(({ label, areas }) => ({
    name: classes.find((one) => one.label === label)?.name ?? `Class ${label}`,
    areas,
  }));
  const all = rows.length > 1 ? [{ name: "All of these", areas: saidTogether(parts) }] : [];
  return (
    <div className="mb-2">
      {[...rows, ...all].map(({ name, areas }) => (
        <Shares key={name} name={name} areas={areas} />
      ))}
    </div>
  );
}

function Shares({ name, areas }: { name: string; areas: SaidAreas }) {
  const shares = saidShares(areas);
  if (!shares) {
    return <p className="mb-1 text-soft">{name}: no cell of this class.</p>;
  }
  return (
    <div className="mb-2" role="group" aria-label={`What it says of ${name}`}>
      <div className="flex items-baseline justify-between gap-2">
        <span className="truncate font-medium">{name}</span>
        <span className="shrink-0 text-soft">
          {shares.ofSeen === null
            ? "nothing of it seen"
            : `${percent(shares.ofSeen)} of what it saw confirmed`}
        </span>
      </div>
      <div aria-hidden className="my-1 flex h-2.5 overflow-hidden rounded-sm">
        {SAID.map((said) => (
          <span
            key={said}
            style={{ width: `${100 * shares[said]}%`, background: SAID_LOOKS[said].color }}
          />
        ))}
      </div>
      <ul className="grid grid-cols-3 gap-2">
        {SAID.map((said) => (
          <li key={said} className="leading-tight">
            <span className="flex items-center gap-1 text-label text-soft">
              <span
                aria-hidden
                className="h-2 w-2 shrink-0 rounded-sm"
                style={{ background: SAID_LOOKS[said].color }}
              />
              {SAID_LOOKS[said].name}
            </span>
            <span className="block font-mono text-[12px]">{areaSaid(areas[said].areaM2)}</span>
            <span className="block font-mono text-[12px] text-soft">{percent(shares[said])}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
