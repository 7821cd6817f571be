import { useState } from "react";
import { ChevronDown } from "lucide-react";
import { likeBands, usualBands } from "@hindglance/core/change/build";
import {
  type ChangeSetup,
  type Measure,
  MULTIBAND,
  comparingOf,
  measuresOf,
} from "@hindglance/core/change/setup";
import { FormulaError, parseFormula } from "@hindglance/core/formula/formula";
import type { BandInfo } from "@hindglance/core/graph/image";
import { nameInFormula, namesOfDates } from "@hindglance/core/graph/steps/multi";
import { Button, Choice, Chip, Pick, Pop } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { measureHelp, measureName } from "./measures";

interface Props {
  setup: ChangeSetup;
  bands: readonly BandInfo[];
  pickMeasure(m: Measure): void;
  pickBand(k: number): void;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/** How the two dates are measured against each other, and with which bands. */
export function MeasureDesk({ setup, bands, pickMeasure, pickBand, change }: Props) {
  const band = bands[setup.band];
  const value = !!band && comparingOf(band) === "value";
  const several =
    MULTIBAND.includes(setup.measure) || (!!setup.groups && setup.groups.of !== "measure");
  return (
    <>
      <div className="grid grid-cols-[1fr_84px] gap-2">
        <Pick
          label="Measure"
          value={setup.measure}
          onChange={pickMeasure}
          options={(band ? measuresOf(band) : [setup.measure]).map((m) => ({
            value: m,
            name: measureName(m, band?.name ?? "", value),
          }))}
        />
        <Pick
          label="Band"
          value={String(setup.band)}
          onChange={(eachValue) => pickBand(Number(eachValue))}
          options={bands
            .map((b, i) => ({ b, i }))
            .filter(({ b }) => comparingOf(b) !== null)
            .map(({ b, i }) => ({ value: String(i), name: b.polarisation ?? b.name }))}
        />
      </div>
      <p className="mt-1.5 text-soft">{measureHelp(setup.measure, value)}</p>
      {several && band && <BandsOf setup={setup} bands={bands} change={change} />}
      {setup.measure === "noChange" && (
        <div className="mt-2 flex items-center justify-between gap-2">
          <span className="text-soft">Unchanged ground</span>
          <Choice
            label="Unchanged ground"
            value={setup.reweighted ? "reweighted" : "plain"}
            onChange={(entry) => change((s) => ({ ...s, reweighted: entry === "reweighted" }))}
            options={[
              {
                value: "plain",
                name: "MAD",
                hint: "All cells count alike. Change that covers much of the scene widens what is taken for usual.",
              },
              {
                value: "reweighted",
                name: "IR-MAD",
                hint: "Nielsen 2007: cells count by how likely they are unchanged, round by round. Finer; where seasons differ everywhere it can call nearly all of the scene changed.",
              },
            ]}
          />
        </div>
      )}
      {setup.measure === "formula" && band && (
        <FormulaField
          key={setup.band}
          text={setup.formula ?? ""}
          names={namesOfDates(
            bands.filter((b) => comparingOf(b) === comparingOf(band)).map(nameInFormula),
          )}
          onCommit={(formula) => change((s) => ({ ...s, formula }))}
        />
      )}
      {!value && (
        <div className="mt-2 flex items-center justify-between gap-2">
          <span className="text-soft">Speckle</span>
          <span className="flex items-center gap-2">
            <Choice
              label="Speckle filter"
              value={setup.speckle.filter}
              onChange={(filter) => change((s) => ({ ...s, speckle: { ...s.speckle, filter } }))}
              options={[
                { value: "none", name: "Off" },
                { value: "lee", name: "Lee", hint: "Lee 1980, 7 x 7" },
                { value: "refinedLee", name: "Refined", hint: "Refined Lee 1981: keeps edges" },
              ]}
            />
            <span
              className="flex items-center gap-1 text-soft"
              title="Equivalent number of looks; estimated from even ground when the study was begun"
            >
              <NumberField
                label="Looks"
                value={setup.speckle.looks}
                min={0.5}
                max={1000}
                step={0.5}
                onCommit={(looks) => change((s) => ({ ...s, speckle: { ...s.speckle, looks } }))}
              />
              looks
            </span>
          </span>
        </div>
      )}
    </>
  );
}

/** Bands that take part, where several do. */
function BandsOf({
  setup,
  bands,
  change,
}: {
  setup: ChangeSetup;
  bands: readonly BandInfo[];
  change: Props["change"];
}) {
  const like = likeBands(bands, setup.band);
  const on = setup.bands?.length
    ? setup.bands
    : usualBands(
        bands,
        setup.band,
        setup.groups && setup.groups.of !== "measure" ? "groups" : "measure",
      );
  const two = setup.measure === "changeDirection" && !setup.groups;
  const toggle = (k: number) =>
    change((s) => {
      const next = on.includes(k) ? on.filter((x) => x !== k) : [...on, k].sort((a, b) => a - b);
      return next.length ? { ...s, bands: next } : s;
    });
  return (
    <div className="mt-2 flex items-center justify-between gap-2">
      <span className="text-soft">
        Bands
        {two && on.length !== 2 ? <b className="ml-1 font-semibold text-warnink">pick two</b> : ""}
      </span>
      <Pop
        label="Bands that take part"
        width={250}
        trigger={
          <Button className="h-7 max-w-[220px]">
            <span className="truncate">
              {on.map((k) => bands[k]?.polarisation ?? bands[k]?.name).join(", ")}
            </span>
            <ChevronDown size={14} className="shrink-0" aria-hidden />
          </Button>
        }
      >
        <p className="mb-2 text-soft">
          {two
            ? "The first of the two is 0°, the second 90°."
            : "All of them count alike, in their common unit."}
        </p>
        <div className="flex flex-wrap gap-1.5">
          {like.map((k) => (
            <Chip
              key={k}
              on={on.includes(k)}
              aria-pressed={on.includes(k)}
              onClick={() => toggle(k)}
            >
              {bands[k]!.polarisation ?? bands[k]!.name}
            </Chip>
          ))}
        </div>
        {setup.bands?.length ? (
          <div className="mt-3 flex justify-end">
            <Button onClick={() => change((s) => ({ ...s, bands: null }))}>All alike</Button>
          </div>
        ) : null}
      </Pop>
    </div>
  );
}

function FormulaField({
  text,
  names,
  onCommit,
}: {
  text: string;
  names: readonly string[];
  onCommit(t: string): void;
}) {
  const [draft, setDraft] = useState(text);
  const problem = ((): FormulaError | null => {
    try {
      parseFormula(draft, names);
      return null;
    } catch (error) {
      return error instanceof FormulaError ? error : null;
    }
  })();
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
