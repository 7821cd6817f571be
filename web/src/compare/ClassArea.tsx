import { areaSaid } from "../lib/format";
import { cx } from "../ui/cx";

interface Props {
  name: string;
  label: number;
  /** By label; null until they are known. */
  areas: Record<number, { areaM2: number }> | null;
  exact: boolean;
  className?: string;
}

/** The area of a class; a wavy sign while it is only of the overview. */
export function ClassArea({ name, label, areas, exact, className }: Props) {
  return (
    <span
      className={cx("font-mono font-semibold", className)}
      aria-label={`Area of ${name}`}
      title={exact ? "Exact, of the whole image" : "At overview level, while the settings move"}
    >
      {areas ? (
        <>
          {!exact && <span className="mr-0.5 text-soft">≈</span>}
          {areaSaid(areas[label]?.areaM2 ?? 0)}
        </>
      ) : (
        "–"
      )}
    </span>
  );
}
