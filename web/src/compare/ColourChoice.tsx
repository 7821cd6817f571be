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
/** The colour of a class, picked from those that classes have. */
export function ColourChoice({ value, onChange }: { value: string; onChange(c: string): void }) {
  return (
    <div role="radiogroup" aria-label="Colour" className="flex gap-1.5">
      {CLASS_COLOURS.map((c) => (
        <button
          key={c}
          type="button"
          role="radio"
          aria-checked={value === c}
          aria-label={c}
          onClick={() => onChange(c)}
          className="h-6 w-6 rounded-full border-2"
          style={{ background: c, borderColor: value === c ? "#1d2a2b" : "transparent" }}
        />
      ))}
    </div>
  );
}
