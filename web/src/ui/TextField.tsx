import { useState } from "react";
import { Labelled, inputStyle } from "./Labelled";

interface Props {
  label: string;
  value: string;
  longest: number;
  /** What is wrong with a text; null where nothing is. Absent: nothing ever is. */
  problem?(typed: string): string | null;
  onKeep(text: string): void;
}

/** A text that is kept on Enter and on leaving, where nothing is wrong with it. */
export function TextField({ label, value, longest, problem, onKeep }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const wrong = typed === null ? null : (problem?.(typed) ?? null);
  const keep = () => {
    const next = typed?.trim();
    if (next !== undefined && next !== value && wrong === null) {
      onKeep(next);
    }
    setTyped(null);
  };
  return (
    <>
      <Labelled label={label}>
        {(id) => (
          <input
            id={id}
            className={inputStyle}
            maxLength={longest}
            value={typed ?? value}
            onChange={(event) => setTyped(event.target.value)}
            onBlur={keep}
            onKeyDown={(event) => {
              if (event.key === "Enter") {
                event.currentTarget.blur();
              }
            }}
          />
        )}
      </Labelled>
      {wrong && (
        <p role="alert" className="mb-2 text-wrong">
          {wrong}
        </p>
      )}
    </>
  );
}
