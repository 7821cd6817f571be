import { type KeyboardEvent, useId, useState } from "react";
import { decimalsOf, shownNumber } from "../lib/format";
import { parseNumber } from "../lib/parseNumber";
import { cx } from "./cx";

/** What a field takes: numbers between two ends, whole ones where `decimals` is 0. */
export interface Bounds {
  min: number;
  max: number;
  decimals: number;
}

/** Why a text cannot be taken, in words; null where it can. */
export function problemOf(text: string, { min, max, decimals }: Bounds): string | null {
  const value = parseNumber(text);
  const what = decimals === 0 ? "A whole number" : "A number";
  const ends = [
    ...(min > -Infinity ? [`from ${shownNumber(min, decimals)}`] : []),
    ...(max < Infinity ? [`to ${shownNumber(max, decimals)}`] : []),
  ];
  const isFine =
    value !== null && value >= min && value <= max && (decimals > 0 || Number.isInteger(value));
  return isFine ? null : [what, ...ends].join(" ");
}

interface Props extends Partial<Bounds> {
  value: number;
  /** Takes a new value, which lies within the bounds. */
  onCommit(next: number): void;
  step?: number;
  label: string;
  prefix?: string;
  unit?: string;
  className?: string;
}

interface Typing {
  value: number;
  onCommit(next: number): void;
  step: number;
  bounds: Bounds;
}

/** What is typed into a field until it is taken, and what is wrong with it. */
function useTyping({ value, onCommit, step, bounds }: Typing) {
  const { decimals } = bounds;
  const [text, setText] = useState<string | null>(null);
  const problem = text === null ? null : problemOf(text, bounds);
  const commit = () => {
    if (text === null || problem !== null) {
      return;
    }
    const next = parseNumber(text)!;
    setText(null);
    if (next !== value) {
      onCommit(next);
    }
  };
  const stepBy = (steps: number) => {
    const from = text !== null && problem === null ? parseNumber(text)! : value;
    const scale = 10 ** Math.max(decimals, decimalsOf(step));
    const next = Math.round((from + steps * step) * scale) / scale;
    if (problemOf(String(next), bounds) === null) {
      setText(null);
      onCommit(next);
    }
  };
  const onKey = (event: KeyboardEvent<HTMLInputElement>) => {
    if (event.key === "Enter") {
      commit();
      event.currentTarget.select();
    } else if (event.key === "Escape" && text !== null) {
      setText(null);
      event.stopPropagation();
    } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      event.preventDefault();
      stepBy((event.key === "ArrowUp" ? 1 : -1) * (event.shiftKey ? 10 : 1));
    }
  };
  return { shown: text ?? shownNumber(value, decimals), problem, type: setText, commit, onKey };
}

/**
 * A number that is edited in place. It takes effect on Enter, on leaving and with the arrow keys (Shift: ten
 * steps); Escape takes it back. What cannot be taken stays as it was typed and is said at the field,
 * until it is mended or taken back.
 */
export function NumberField({
  value,
  onCommit,
  step = 0.1,
  min = -Infinity,
  max = Infinity,
  decimals = 1,
  label,
  prefix,
  unit,
  className,
}: Props) {
  const bounds = { min, max, decimals };
  const { shown, problem, type, commit, onKey } = useTyping({ value, onCommit, step, bounds });
  const messageId = useId();
  return (
    <span className={cx("relative inline-flex", className)}>
      <span
        className={cx(
          "inline-flex w-full items-center rounded-[5px] border bg-white px-1.5 font-mono text-[12px] focus-within:border-spruce",
          problem ? "border-wrong" : "border-line",
        )}
      >
        {prefix && (
          <span className="mr-1" aria-hidden>
            {prefix}
          </span>
        )}
        <input
          aria-label={label}
          aria-invalid={problem !== null}
          aria-describedby={problem ? messageId : undefined}
          inputMode="decimal"
          value={shown}
          onChange={(event) => type(event.target.value)}
          onBlur={commit}
          onFocus={(event) => event.target.select()}
          onKeyDown={onKey}
          className="w-[5ch] bg-transparent py-0.5 text-right outline-none"
          style={{ width: `${Math.max(4, shown.length)}ch` }}
        />
        {unit && <span className="ml-1 text-soft">{unit}</span>}
      </span>
      {problem && (
        <span
          id={messageId}
          role="alert"
          className="absolute right-0 top-full z-20 mt-0.5 whitespace-nowrap rounded border border-[#d9a29d] bg-[#f8e7e5] px-1.5 py-0.5 font-sans text-label text-[#7c241d] shadow"
        >
          {problem}
        </span>
      )}
    </span>
  );
}
