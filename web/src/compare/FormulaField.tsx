import { useState } from "react";
import { FormulaError, parseFormula } from "@hindglance/core/formula/formula";

/** What is wrong with a formula, or null. */
function problemIn(text: string, names: readonly string[]): FormulaError | null {
  try {
    parseFormula(text, names);
    return null;
  } catch (error) {
    return error instanceof FormulaError ? error : null;
  }
}

/**
 * A formula over the bands of both dates. Enter or leaving takes it; what is wrong is said with its
 * place.
 * @param names that a formula can use, those of before first
 */
export function FormulaField({
  text,
  names,
  onCommit,
}: {
  text: string;
  names: readonly string[];
  onCommit(text: string): void;
}) {
  const [draft, setDraft] = useState(text);
  const problem = problemIn(draft, names);
  const commit = () => {
    if (!problem && draft !== text) {
      onCommit(draft);
    }
  };
  return (
    <div className="mt-2">
      <textarea
        aria-label="Formula"
        aria-invalid={!!problem && draft !== ""}
        rows={2}
        spellCheck={false}
        value={draft}
        placeholder={`${names[names.length / 2] ?? "after.NAME"} − ${names[0] ?? "before.NAME"}`}
        onChange={(e) => setDraft(e.target.value)}
        onBlur={commit}
        onKeyDown={(e) => {
          if (e.key === "Enter" && !e.shiftKey) {
            e.preventDefault();
            commit();
          }
        }}
        className="w-full resize-none rounded-field border border-line bg-white px-2 py-1 font-mono text-[12px] aria-[invalid=true]:border-wrong"
      />
      {problem && draft !== "" ? (
        <p role="alert" className="text-label text-wrong">
          <span className="font-mono">
            {draft.slice(Math.max(0, problem.at - 8), problem.at)}
            <u>{draft.slice(problem.at, problem.at + problem.length) || "␣"}</u>
          </span>{" "}
          {problem.message}. {problem.hint}
        </p>
      ) : (
        <p className="truncate text-label text-soft" title={names.join(", ")}>
          {draft !== text ? "Enter takes it. " : ""}
          {names.join(", ")}
        </p>
      )}
    </div>
  );
}
