import { cx } from "../ui/cx";

interface Props<T extends string> {
  label: string;
  value: T;
  options: readonly { value: T; name: string; hint?: string }[];
  onChange(value: T): void;
}

/** One of a few ways of showing a map, over its top. */
export function MapChoice<T extends string>({ label, value, options, onChange }: Props<T>) {
  return (
    <div
      role="radiogroup"
      aria-label={label}
      className="absolute left-1/2 top-3 z-10 flex -translate-x-1/2 overflow-hidden rounded-card bg-night/85 p-1"
    >
      {options.map((option) => (
        <button
          key={option.value}
          type="button"
          role="radio"
          aria-checked={value === option.value}
          title={option.hint}
          onClick={() => onChange(option.value)}
          className={cx(
            "rounded-field px-3 py-1 text-[12px] font-semibold",
            value === option.value ? "bg-bone text-ink" : "text-[#dfe5e2] hover:text-white",
          )}
        >
          {option.name}
        </button>
      ))}
    </div>
  );
}
