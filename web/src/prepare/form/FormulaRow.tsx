import { useState } from "react";
import { Plus, X } from "lucide-react";
import type { Output } from "@hindglance/core/chain/optical/indices";
import { FormulaError, parseFormula } from "@hindglance/core/formula/formula";
import { Button } from "../../ui/Button";
import { inputStyle } from "../../ui/Labelled";

/** A button that opens an empty formula. */
export function NewFormula({
  names,
  taken,
  onAdd,
}: {
  names: string[];
  taken: string[];
  onAdd(output: Output): void;
}) {
  const [open, setOpen] = useState(false);
  if (!open) {
    return (
      <Button tone="quiet" className="mb-2 h-7 px-2" onClick={() => setOpen(true)}>
        <Plus size={14} aria-hidden />A formula of your own
      </Button>
    );
  }
  return (
    <FormulaRow
      output={{ name: "", formula: "" }}
      names={names}
      taken={taken}
      onSave={(output) => {
        onAdd(output);
        setOpen(false);
      }}
      onDrop={() => setOpen(false)}
    />
  );
}

/** What is wrong with a formula, or null. */
function problemIn(formula: string, names: string[]): FormulaError | null {
  if (!formula.trim()) {
    return null;
  }
  try {
    parseFormula(formula, names);
    return null;
  } catch (error) {
    if (error instanceof FormulaError) {
      return error;
    }
    throw error;
  }
}

/**
 * Name and formula; what is wrong is said with the place under the text.
 * @param taken names that other bands have
 */
export function FormulaRow({
  output,
  names,
  taken,
  onSave,
  onDrop,
}: {
  output: Output;
  names: string[];
  taken: string[];
  onSave(output: Output): void;
  onDrop(): void;
}) {
  const [name, setName] = useState(output.name);
  const [formula, setFormula] = useState(output.formula);
  const wrong = problemIn(formula, names);
  const twice = taken.includes(name.trim());
  const fine = !!name.trim() && !!formula.trim() && !wrong && !twice;
  return (
    <form
      className="mb-3 rounded-card border border-line bg-white p-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (fine) {
          onSave({ name: name.trim(), formula });
        }
      }}
    >
      <div className="mb-1.5 flex gap-1.5">
        <input
          aria-label="Name of the index"
          placeholder="Name"
          maxLength={60}
          className={inputStyle}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button
          type="button"
          aria-label={output.name ? `Remove ${output.name}` : "Close"}
          className="shrink-0 px-1 text-soft hover:text-wrong"
          onClick={onDrop}
        >
          <X size={15} aria-hidden />
        </button>
      </div>
      <textarea
        aria-label="Formula"
        aria-invalid={!!wrong}
        rows={2}
        spellCheck={false}
        placeholder="(nir - swir2) / (nir + swir2)"
        className="w-full resize-y rounded-field border border-line bg-white px-2 py-1 font-mono text-[12px]"
        value={formula}
        onChange={(e) => setFormula(e.target.value)}
      />
      {wrong && <FormulaProblem formula={formula} wrong={wrong} />}
      {twice && (
        <p role="alert" className="mt-1 text-label text-wrong">
          There is a band called {name.trim()} already.
        </p>
      )}
      <div className="mt-1.5 flex items-center justify-between gap-2">
        <span className="text-label text-soft">{names.join(", ")}</span>
        {(name.trim() !== output.name || formula !== output.formula) && (
          <Button type="submit" className="h-7 px-2" disabled={!fine}>
            {output.name ? "Change" : "Add"}
          </Button>
        )}
      </div>
    </form>
  );
}

/** The formula with the wrong part marked, and what is wrong with it. */
function FormulaProblem({ formula, wrong }: { formula: string; wrong: FormulaError }) {
  const end = wrong.at + Math.max(1, wrong.length);
  const inOneLine = (text: string) => text.replace(/\n/g, " ");
  return (
    <div role="alert" className="mt-1 text-label text-wrong">
      <code className="block overflow-x-auto whitespace-pre font-mono text-[12px] text-ink">
        {inOneLine(formula.slice(0, wrong.at))}
        <mark className="bg-[#f1c9c5] text-ink">{formula.slice(wrong.at, end) || " "}</mark>
        {inOneLine(formula.slice(end))}
      </code>
      {wrong.message}. {wrong.hint}
    </div>
  );
}
