import type { Output } from "@hindglance/core/chain/optical/indices";
import { formulaNames } from "@hindglance/core/graph/steps/formula";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { INDICES } from "@hindglance/core/optical/indices";
import { bandOfColour } from "@hindglance/core/optical/wavelengths";
import { useScenes } from "../../api/hooks";
import { Chip } from "../../ui/Chip";
import { FormulaRow, NewFormula } from "./FormulaRow";
import type { AboutSetting } from "./about";
import type { Field } from "@hindglance/core/form/fields";

type FormulasOf = Extract<Field, { kind: "formulas" }>;
type Index = (typeof INDICES)[number];

/** Names that a formula can use: those of the bands as they are once they are reflectance. */
function namesIn(info: ImageInfo): string[] {
  const bands = info.bands.map((band) => ({
    ...band,
    role: band.role === "dn" ? ("reflectance" as const) : band.role,
  }));
  return [...formulaNames({ ...info, bands }).keys()];
}

const isIndex = (output: Output, index: Index): boolean =>
  output.name === index.name && output.formula === index.formula;

/**
 * Ready indices to switch on and off, and formulas of one's own that are checked while they are
 * typed.
 */
export function Formulas({ field, own, about, change }: AboutSetting<FormulasOf>) {
  const scene = useScenes(about.study.id).data?.find((one) => one.id === about.row?.sceneId);
  const outputs = own[field.at] as Output[];
  const bands = scene?.info?.bands ?? [];
  const names = scene?.info ? namesIn(scene.info) : [];
  const set = (next: Output[]) => change({ [field.at]: next, on: true });
  const without = (k: number) => outputs.filter((_output, j) => j !== k);
  return (
    <>
      <div className="mb-3 flex flex-wrap gap-1.5" role="group" aria-label="Ready indices">
        {INDICES.map((index) => (
          <IndexChip
            key={index.id}
            index={index}
            lacks={index.needs.filter((need) => bandOfColour(bands, need) < 0)}
            at={outputs.findIndex((output) => isIndex(output, index))}
            onAdd={() => set([...outputs, { name: index.name, formula: index.formula }])}
            onDrop={(k) => set(without(k))}
          />
        ))}
      </div>
      {outputs.map(
        (output, k) =>
          !INDICES.some((index) => isIndex(output, index)) && (
            <FormulaRow
              key={`${k}.${output.name}.${output.formula}`}
              output={output}
              names={names}
              taken={without(k).map((other) => other.name)}
              onSave={(next) => set(outputs.map((other, j) => (j === k ? next : other)))}
              onDrop={() => set(without(k))}
            />
          ),
      )}
      <NewFormula
        names={names}
        taken={[...outputs.map((output) => output.name), ...bands.map((band) => band.name)]}
        onAdd={(output) => set([...outputs, output])}
      />
    </>
  );
}

/** A ready index. @param at its place among the bands that are made, -1 where it is not */
function IndexChip({
  index,
  lacks,
  at,
  onAdd,
  onDrop,
}: {
  index: Index;
  lacks: readonly string[];
  at: number;
  onAdd(): void;
  onDrop(k: number): void;
}) {
  return (
    <Chip
      on={at >= 0}
      aria-pressed={at >= 0}
      disabled={lacks.length > 0 && at < 0}
      title={lacks.length ? `Needs ${lacks.join(", ")}` : `${index.formula} · ${index.source}`}
      onClick={() => (at >= 0 ? onDrop(at) : onAdd())}
    >
      {index.name}
    </Chip>
  );
}
