import type { ReactNode } from "react";
import { cx } from "./cx";

const STEP_OF: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };

/** One of a few, side by side; arrow keys go from one to the next. */
export function Choice<T extends string>({
  value,
  onChange,
  options,
  label,
  className,
}: {
  value: T;
  onChange(next: T): void;
  options: { value: T; name: ReactNode; hint?: string }[];
  label: string;
  className?: string;
}) {
  return (
    <div
      role="radiogroup"
      aria-label={label}
      className={cx(
        "inline-flex overflow-hidden rounded-field border border-line bg-white",
        className,
      )}
    >
      {options.map((option) => (
        <button
          key={option.value}
          type="button"
          role="radio"
          aria-checked={value === option.value}
          title={option.hint}
          onClick={() => onChange(option.value)}
          onKeyDown={(e) => {
            const step = STEP_OF[e.key];
            if (step) {
              e.preventDefault();
              const from = options.findIndex((one) => one.value === value);
              const to = (from + step + options.length) % options.length;
              onChange(options[to]!.value);
              const button = e.currentTarget.parentElement?.children[to];
              if (button instanceof HTMLElement) {
                button.focus();
              }
            }
          }}
          tabIndex={value === option.value ? 0 : -1}
          className={cx(
            "h-[28px] flex-1 whitespace-nowrap border-l border-line px-2.5 font-medium first:border-l-0",
            value === option.value ? "bg-ink text-paper" : "text-ink hover:bg-bone",
          )}
        >
          {option.name}
        </button>
      ))}
    </div>
  );
}
