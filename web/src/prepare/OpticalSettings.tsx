import { type ReactNode, useState } from "react";
import { Plus, X } from "lucide-react";
import type { OpticalChain, OpticalStep } from "@hindglance/core/chain/opticalChain";
import { proposeGrid } from "@hindglance/core/chain/proposeGrid";
import { FormulaError, parseFormula } from "@hindglance/core/formula/formula";
import { type Crs, LONLAT, isGeographic, transformer } from "@hindglance/core/geodesy/crs";
import { formulaNames } from "@hindglance/core/graph/steps/optical";
import { outline } from "@hindglance/core/grid/grid";
import { INDICES } from "@hindglance/core/optical/indices";
import { bandOfColour } from "@hindglance/core/optical/wavelengths";
import type { Study } from "../api/types";
import { useScenes } from "../api/hooks";
import { number } from "../lib/format";
import { Button, Chip, Choice, Pick, Row, inputStyle } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import type { BoardRow, PrepareView } from "./chainState";
import { GridSystem } from "./GridSystem";

const YES = [
  { value: "off", name: "Off" },
  { value: "on", name: "On" },
] as { value: string; name: string }[];
const MASKS = [
  ["cloud", "Cloud"],
  ["shadow", "Cloud shadow"],
  ["cirrus", "Cirrus"],
  ["snow", "Snow"],
  ["water", "Water"],
] as const;
const SURFACE = {
  darkObject:
    "The darkest ground of a band is taken to reflect 1 %; what it shows beyond that is the light of the air (Chavez 1988).",
  cost: "Dark object, and the light lost on its way down by the height of the sun, under 1.3 µm (Chavez 1996).",
  empirical:
    "Baseline by the darkest material, gain by the mean of the scene's most unlike materials. Needs three bands, diverse ground and even light.",
} as const;

type Change = <S extends OpticalStep>(s: S, value: Partial<OpticalChain[S]>) => void;

/** Settings of a step of the optical chain. */
export function OpticalSettings({
  step,
  c: opticalChain,
  view,
  study,
  row,
  scene,
  change,
}: {
  step: OpticalStep;
  c: OpticalChain;
  view: PrepareView;
  study: Study;
  row: BoardRow | null;
  scene: string | null;
  change: Change;
}): ReactNode {
  const others = view.rows.filter(
    (boardRow) => boardRow.sceneId !== row?.sceneId && !view.heldOut.includes(boardRow.sceneId),
  );
  const dates = others.map((other) => ({
    value: other.sceneId,
    name: other.name,
    note: other.label,
  }));
  const flag = (label: string, value: boolean, set: (eachValue: boolean) => void) => (
    <Row label={label}>
      <Choice
        label={label}
        value={value ? "on" : "off"}
        onChange={(choice) => set(choice === "on")}
        options={YES}
      />
    </Row>
  );
  switch (step) {
    case "mask":
      return (
        <>
          <div className="mb-2 flex flex-wrap gap-1.5" role="group" aria-label="What is masked">
            {MASKS.map(([k, name]) => (
              <Chip
                key={k}
                on={opticalChain.mask[k]}
                aria-pressed={opticalChain.mask[k]}
                onClick={() => change("mask", { [k]: !opticalChain.mask[k] })}
              >
                {name}
              </Chip>
            ))}
          </div>
          <Row label="Widen by, cells">
            <NumberField
              label="Widen by"
              decimals={0}
              step={1}
              min={0}
              max={32}
              value={opticalChain.mask.growCells}
              onCommit={(growCells) => change("mask", { growCells })}
            />
          </Row>
          <Row label="Edge of the frame, cells">
            <NumberField
              label="Edge of the frame"
              decimals={0}
              step={1}
              min={0}
              max={64}
              value={opticalChain.mask.borderCells}
              onCommit={(borderCells) => change("mask", { borderCells })}
            />
          </Row>
          <p className="text-label text-soft">
            Fill is always masked.
            {opticalChain.mask.water && opticalChain.surface.on
              ? " Water leaves after Surface, which finds its darkest ground there."
              : ""}
          </p>
        </>
      );
    case "gaps":
      return (
        <>
          <Row label="Filled from">
            <Pick
              label="Filled from"
              className="w-[190px]"
              value={opticalChain.gaps.sceneId ?? "neighbours"}
              onChange={(value) =>
                change("gaps", { sceneId: value === "neighbours" ? null : value })
              }
              options={[{ value: "neighbours", name: "Neighbours" }, ...dates]}
            />
          </Row>
          {flag("Fill masked cells too", opticalChain.gaps.masked, (masked) =>
            change("gaps", { masked }),
          )}
          <p className="text-label text-soft">
            {opticalChain.gaps.sceneId
              ? "The filling date is matched in windows of 17 to 31 cells."
              : "Only gaps with ground on both sides, up to 15 cells away."}
          </p>
        </>
      );
    case "reflectance":
      return (
        <p className="text-soft">
          Gains, offsets and the height of the sun come from the metadata of each scene.
        </p>
      );
    case "haze":
      return (
        <Row label="Taken off, percent">
          <NumberField
            label="Share of the haze taken off"
            decimals={0}
            step={10}
            min={10}
            max={150}
            value={Math.round(opticalChain.haze.strength * 100)}
            onCommit={(value) => change("haze", { strength: value / 100 })}
          />
        </Row>
      );
    case "surface":
      return (
        <>
          <div className="mb-2">
            <Choice
              label="Method"
              className="flex"
              value={opticalChain.surface.method}
              onChange={(method) => change("surface", { method })}
              options={[
                { value: "darkObject", name: "Dark object" },
                { value: "cost", name: "COST" },
                { value: "empirical", name: "Empirical" },
              ]}
            />
          </div>
          <p className="text-label text-soft">{SURFACE[opticalChain.surface.method]}</p>
        </>
      );
    case "mosaic":
      return (
        <>
          {flag("Even light inside frames", opticalChain.mosaic.inside, (inside) =>
            change("mosaic", { inside }),
          )}
          {flag("Level and contrast between", opticalChain.mosaic.between, (between) =>
            change("mosaic", { between }),
          )}
          {opticalChain.mosaic.between && (
            <Row label="Stays as it is">
              <Pick
                label="Stays as it is"
                className="w-[190px]"
                value={opticalChain.mosaic.anchorId ?? "first"}
                onChange={(value) =>
                  change("mosaic", { anchorId: value === "first" ? null : value })
                }
                options={[
                  { value: "first", name: "First frame of the day" },
                  ...view.rows.map((boardRow) => ({
                    value: boardRow.sceneId,
                    name: boardRow.name,
                  })),
                ]}
              />
            </Row>
          )}
          <Row label="Feather, cells">
            <NumberField
              label="Feather"
              decimals={0}
              step={4}
              min={1}
              max={128}
              value={opticalChain.mosaic.featherCells}
              onCommit={(featherCells) => change("mosaic", { featherCells })}
            />
          </Row>
          <p className="text-label text-soft">
            Frames of one day with the same bands are put together.
          </p>
        </>
      );
    case "grid": {
      const grid = opticalChain.grid.grid;
      const degrees = isGeographic(grid.crs);
      const cellM = degrees ? Math.round(grid.transform[1] * 111_320) : grid.transform[1];
      const ring =
        study.studyArea?.coordinates.flatMap((coordinate) => coordinate[0]!) ??
        outline(grid).map(([x, y]) => transformer(grid.crs, LONLAT)(x, y));
      const regrid = (m: number, crs: Crs) => change("grid", { grid: proposeGrid(ring, m, crs) });
      return (
        <>
          {!scene && (
            <Row label="Cell size, m">
              <NumberField
                label="Cell size"
                decimals={cellM % 1 ? 1 : 0}
                step={1}
                min={1}
                max={5000}
                value={cellM}
                onCommit={(m) => regrid(m, grid.crs)}
              />
            </Row>
          )}
          {!scene && (
            <GridSystem
              crs={grid.crs}
              proposed={proposeGrid(ring, cellM).crs}
              onPick={(crs) => regrid(cellM, crs)}
            />
          )}
          <Row label="Cells take">
            <Choice
              label="Resampling"
              value={opticalChain.grid.resampling}
              onChange={(resampling) => change("grid", { resampling })}
              options={[
                { value: "nearest", name: "Nearest" },
                { value: "bilinear", name: "Bilinear" },
                { value: "cubic", name: "Cubic" },
              ]}
            />
          </Row>
          <p className="text-label text-soft">
            {number(grid.width)} x {number(grid.height)} cells
            {degrees ? ` of ${number(grid.transform[1], 6)}°` : ""}. Masks and bits are taken from
            the nearest cell.
          </p>
        </>
      );
    }
    case "indices":
      return <IndexSettings c={opticalChain} study={study} row={row} change={change} />;
  }
}

/**
 * Ready indices to switch on and off, and formulas of one's own that are checked while they are
 * typed.
 */
function IndexSettings({
  c: opticalChain,
  study,
  row,
  change,
}: {
  c: OpticalChain;
  study: Study;
  row: BoardRow | null;
  change: Change;
}) {
  const scene = useScenes(study.id).data?.find((s) => s.id === row?.sceneId);
  const { outputs } = opticalChain.indices;
  const bands = scene?.info?.bands ?? [];
  const names = scene?.info
    ? [
        ...formulaNames({
          ...scene.info,
          bands: bands.map((band) => ({
            ...band,
            role: band.role === "dn" ? ("reflectance" as const) : band.role,
          })),
        }).keys(),
      ]
    : [];
  const set = (next: typeof outputs) => change("indices", { outputs: next, on: true });
  const own = outputs
    .map((output, k) => [output, k] as const)
    .filter(
      ([output]) =>
        !INDICES.some((index) => index.name === output.name && index.formula === output.formula),
    );
  return (
    <>
      <div className="mb-3 flex flex-wrap gap-1.5" role="group" aria-label="Ready indices">
        {INDICES.map((index) => {
          const k = outputs.findIndex(
            (output) => output.name === index.name && output.formula === index.formula,
          );
          const lacks = index.needs.filter((need) => bandOfColour(bands, need) < 0);
          return (
            <Chip
              key={index.id}
              on={k >= 0}
              aria-pressed={k >= 0}
              disabled={lacks.length > 0 && k < 0}
              title={
                lacks.length ? `Needs ${lacks.join(", ")}` : `${index.formula} · ${index.source}`
              }
              onClick={() =>
                set(
                  k >= 0
                    ? outputs.filter((_o, j) => j !== k)
                    : [...outputs, { name: index.name, formula: index.formula }],
                )
              }
            >
              {index.name}
            </Chip>
          );
        })}
      </div>
      {own.map(([output, k]) => (
        <FormulaRow
          key={`${k}.${output.name}.${output.formula}`}
          output={output}
          names={names}
          taken={outputs.filter((_x, j) => j !== k).map((x) => x.name)}
          onSave={(next) => set(outputs.map((x, j) => (j === k ? next : x)))}
          onDrop={() => set(outputs.filter((_x, j) => j !== k))}
        />
      ))}
      <NewFormula
        names={names}
        taken={[...outputs.map((output) => output.name), ...bands.map((band) => band.name)]}
        onAdd={(output) => set([...outputs, output])}
      />
      <Row label="Keep the reflectance bands">
        <Choice
          label="Keep the reflectance bands"
          value={opticalChain.indices.keep ? "on" : "off"}
          onChange={(value) => change("indices", { keep: value === "on" })}
          options={YES}
        />
      </Row>
    </>
  );
}

function NewFormula({
  names,
  taken,
  onAdd,
}: {
  names: string[];
  taken: string[];
  onAdd(output: { name: string; formula: string }): void;
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

/** Name and formula; what is wrong is said with the place under the text. */
function FormulaRow({
  output,
  names,
  taken,
  onSave,
  onDrop,
}: {
  output: { name: string; formula: string };
  names: string[];
  taken: string[];
  onSave(options: { name: string; formula: string }): void;
  onDrop(): void;
}) {
  const [name, setName] = useState(output.name);
  const [formula, setFormula] = useState(output.formula);
  const wrong = formula.trim() ? problemIn(formula, names) : null;
  const twice = taken.includes(name.trim());
  const changed = name.trim() !== output.name || formula !== output.formula;
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
      {wrong && (
        <div role="alert" className="mt-1 text-label text-wrong">
          <code className="block overflow-x-auto whitespace-pre font-mono text-[12px] text-ink">
            {formula.slice(0, wrong.at).replace(/\n/g, " ")}
            <mark className="bg-[#f1c9c5] text-ink">
              {formula.slice(wrong.at, wrong.at + Math.max(1, wrong.length)) || " "}
            </mark>
            {formula.slice(wrong.at + Math.max(1, wrong.length)).replace(/\n/g, " ")}
          </code>
          {wrong.message}. {wrong.hint}
        </div>
      )}
      {twice && (
        <p role="alert" className="mt-1 text-label text-wrong">
          There is a band called {name.trim()} already.
        </p>
      )}
      <div className="mt-1.5 flex items-center justify-between gap-2">
        <span className="text-label text-soft">{names.join(", ")}</span>
        {changed && (
          <Button type="submit" className="h-7 px-2" disabled={!fine}>
            {output.name ? "Change" : "Add"}
          </Button>
        )}
      </div>
    </form>
  );
}
function problemIn(formula: string, names: string[]): FormulaError | null {
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
