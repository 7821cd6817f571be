import { type View, useUi } from "../state/ui";
import { cx } from "../ui/controls";

const VIEWS: { value: View; name: string }[] = [
  { value: "pair", name: "Pair" },
  { value: "curtain", name: "Curtain" },
  { value: "blend", name: "Blend" },
  { value: "one", name: "One" },
];

/** How two dates are shown, over the top of the map; keys 1 to 4 do the same. */
export function ViewChoice() {
  const view = useUi((s) => s.view);
  return (
    <div
      role="radiogroup"
      aria-label="View"
      className="absolute left-1/2 top-3 z-10 flex -translate-x-1/2 overflow-hidden rounded-card bg-night/85 p-1"
    >
      {VIEWS.map((value, i) => (
        <button
          key={value.value}
          type="button"
          role="radio"
          aria-checked={view === value.value}
          title={`Key ${i + 1}`}
          onClick={() => useUi.getState().setView(value.value)}
          className={cx(
            "rounded-field px-3 py-1 text-[12px] font-semibold",
            view === value.value ? "bg-bone text-ink" : "text-[#dfe5e2] hover:text-white",
          )}
        >
          {value.name}
        </button>
      ))}
    </div>
  );
}
