/** Colours that classes are given, in turn. */
export const CLASS_COLOURS = [
  "#c8246f",
  "#33498c",
  "#c29a1b",
  "#2a8f84",
  "#b85c1e",
  "#6e1f3a",
  "#7fa65a",
  "#6b5b95",
] as const;
interface Props {
  value: string;
  onChange(colour: string): void;
  /** Those that can be picked. */
  colours?: readonly string[];
}

/** The colour of a class, picked from those that classes have. */
export function ColourChoice({ value, onChange, colours = CLASS_COLOURS }: Props) {
  return (
    <div role="radiogroup" aria-label="Colour" className="flex flex-wrap gap-1.5">
      {colours.map((colour) => (
        <button
          key={colour}
          type="button"
          role="radio"
          aria-checked={value === colour}
          aria-label={colour}
          onClick={() => onChange(colour)}
          className="h-6 w-6 rounded-full border-2"
          style={{ background: colour, borderColor: value === colour ? "#1d2a2b" : "transparent" }}
        />
      ))}
    </div>
  );
}
