import { type ReactNode, useId } from "react";

/** A field under its label, with a hint. */
export function Labelled({
  label,
  children,
  hint,
  error,
}: {
  label: string;
  children: (id: string) => ReactNode;
  hint?: string;
  error?: string;
}) {
  const id = useId();
  return (
    <div className="mb-3">
      <label htmlFor={id} className="mb-1 block font-medium">
        {label}
      </label>
      {children(id)}
      {error ? (
        <p role="alert" className="mt-1 text-label text-wrong">
          {error}
        </p>
      ) : (
        hint && <p className="mt-1 text-label text-soft">{hint}</p>
      )}
    </div>
  );
}
/** A setting on one line: its name on the left, its control on the right. */
export const Row = ({ label, children }: { label: ReactNode; children: ReactNode }) => (
  <div className="mb-2 flex min-h-8 items-center justify-between gap-3">
    <span>{label}</span>
    {children}
  </div>
);
/** Classes of a field for text. */
export const inputStyle =
  "h-8 w-full rounded-field border border-line bg-white px-2.5 outline-offset-0";
