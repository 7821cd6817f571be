import { useState } from "react";
import { ChevronDown, CircleCheck, CircleDashed, TriangleAlert } from "lucide-react";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { isBetweenHeaps } from "@hindglance/core/change/firstMap/heaps";
import type { Note } from "@hindglance/core/change/firstMap/words";
import { sayError } from "../api/client";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Button } from "../ui/Button";
import { Problem } from "../ui/Messages";
import { cx } from "../ui/cx";

interface Props {
  first: { data: FirstMap | null; error: Error | null; isFetching: boolean };
  /** Whether classes and limits on screen are those of the first map. */
  isTaken: boolean;
  onTake(): void;
}

const LOOK = {
  found: { Icon: CircleCheck, color: "text-spruce", said: "Found" },
  none: { Icon: CircleDashed, color: "text-soft", said: "Not found" },
  doubt: { Icon: TriangleAlert, color: "text-[#8a6209]", said: "In doubt" },
} as const;

function NoteLine({ note: { tone, text } }: { note: Note }) {
  const { Icon, color, said } = LOOK[tone];
  return (
    <li className="flex gap-2">
      <Icon size={14} className={cx("mt-0.5 shrink-0", color)} role="img" aria-label={said} />
      <span>{text}</span>
    </li>
  );
}

/** How new water stands out from the ground around it, in figures. */
function Heaps({ first }: { first: FirstMap }) {
  const { heaps, unchanged, unit } = first.evidence;
  const written = (value: number, plus = false) =>
    unit === "dB" ? `${number(value, 1, plus)} dB` : number(value, 3, plus);
  return (
    <p className="text-label text-soft">
      {heaps && (
        <>
          New water and the ground beside it:{" "}
          <span title="Ashman's D of both sides of the threshold: over 2 they are two heaps">
            Ashman's D {number(heaps.d, 1)}
          </span>
          ,{" "}
          <span title="How deep the valley between both lies under the lower peak">
            valley {number(100 * heaps.valley)} %
          </span>
          , smaller side {number(100 * heaps.share)} %
          {heaps.halves !== null && (
            <>
              ,{" "}
              <span title="How far apart the thresholds of two halves of the cells lie">
                halves {number(heaps.halves, 1)} dB apart
              </span>
            </>
          )}
          ,{" "}
          <span title="How much of the area half a decibel either way changes">
            ±0.5 dB changes {number(100 * heaps.swing)} %
          </span>
          {isBetweenHeaps(heaps) ? ". Two heaps. " : ". Hardly two heaps. "}
        </>
      )}
      Unchanged ground: {written(unchanged.middle, true)}, spread {written(unchanged.deviation)}.
    </p>
  );
}

/** What the pair shows, what it may hide, and what stays in doubt. */
export function EvidenceSection({ first, isTaken, onTake }: Props) {
  const [open, setOpen] = useState(false);
  const { data, error, isFetching } = first;
  if (error) {
    return (
      <Section title="What the pair shows" className="py-2.5">
        <Problem>{sayError(error)}</Problem>
      </Section>
    );
  }
  if (!data) {
    return isFetching ? (
      <Section title="What the pair shows" className="py-2.5">
        <p className="text-soft" role="status">
          Looking at both dates …
        </p>
      </Section>
    ) : null;
  }
  const [head, ...more] = data.evidence.notes;
  return (
    <Section
      title="What the pair shows"
      className="py-2.5"
      right={
        !isTaken && (
          <Button tone="quiet" className="h-6 px-1.5" onClick={onTake}>
            Take suggested classes
          </Button>
        )
      }
    >
      <ul className="space-y-1.5" aria-label="What the pair shows">
        {head && <NoteLine note={head} />}
        {open && more.map((note) => <NoteLine key={note.text} note={note} />)}
      </ul>
      {open && (
        <div className="mt-1.5 pl-[22px]">
          <Heaps first={data} />
        </div>
      )}
      <Button
        tone="quiet"
        className="mt-1 h-6 px-1.5"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <ChevronDown size={13} className={cx(open && "rotate-180")} aria-hidden />
        {open ? "Less" : moreSaid(more)}
      </Button>
    </Section>
  );
}

/** How many notes are folded away. */
function moreSaid(more: readonly Note[]): string {
  const doubts = more.filter(({ tone }) => tone === "doubt").length;
  if (doubts > 0) {
    return `${doubts} ${doubts === 1 ? "doubt" : "doubts"} and the figures`;
  }
  return "Figures";
}
