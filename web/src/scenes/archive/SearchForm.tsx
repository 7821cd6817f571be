import { POLARISATIONS } from "@hindglance/contract/archive";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Labelled, inputStyle } from "../../ui/Labelled";
import { Pick } from "../../ui/Pick";
import type { ArchiveSearch } from "./useArchiveSearch";

const ANY = { value: "any", name: "Any" } as const;
const PASSES = [
  ANY,
  { value: "ascending", name: "ascending" },
  { value: "descending", name: "descending" },
] as const;
const ENDS = [
  { key: "from", label: "From" },
  { key: "to", label: "To" },
] as const;

/** What is searched for. Choices are asked at once, dates when the form is sent. */
export function SearchForm({ search }: { search: ArchiveSearch }) {
  const { question, ask, answers } = search;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        ask();
      }}
    >
      <div className="mb-3">
        <Choice
          label="What to search for"
          value={question.kind}
          onChange={(kind) => ask({ kind })}
          options={[
            { value: "radar", name: "Radar products" },
            { value: "elevation", name: "Elevation" },
          ]}
        />
      </div>
      {question.kind === "radar" && <RadarFields search={search} />}
      <div className="flex items-center justify-between gap-2">
        <label className="flex items-center gap-2 text-soft">
          <input
            type="checkbox"
            checked={question.anywhere}
            disabled={question.kind === "elevation"}
            onChange={(event) => ask({ anywhere: event.target.checked })}
          />
          Anywhere
        </label>
        <Button type="submit" disabled={answers.isFetching}>
          {answers.isFetching ? "Searching …" : "Search"}
        </Button>
      </div>
    </form>
  );
}

function RadarFields({ search }: { search: ArchiveSearch }) {
  const { question, setQuestion, ask } = search;
  return (
    <>
      <div className="grid grid-cols-2 gap-2">
        {ENDS.map(({ key, label }) => (
          <Labelled key={key} label={label}>
            {(id) => (
              <input
                id={id}
                type="date"
                className={inputStyle}
                value={question[key] ?? ""}
                onChange={(event) => setQuestion({ [key]: event.target.value || null })}
              />
            )}
          </Labelled>
        ))}
      </div>
      <div className="grid grid-cols-2 gap-2">
        <Labelled label="Pass">
          {(id) => (
            <Pick
              id={id}
              label="Pass"
              value={question.pass ?? "any"}
              onChange={(value) => ask({ pass: value === "any" ? null : value })}
              options={[...PASSES]}
            />
          )}
        </Labelled>
        <Labelled label="Polarisation">
          {(id) => (
            <Pick
              id={id}
              label="Polarisation"
              value={question.polarisation ?? "any"}
              onChange={(value) => ask({ polarisation: value === "any" ? null : value })}
              options={[ANY, ...POLARISATIONS.map((value) => ({ value, name: value }))]}
            />
          )}
        </Labelled>
      </div>
    </>
  );
}
