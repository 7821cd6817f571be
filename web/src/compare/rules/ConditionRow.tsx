import { X } from "lucide-react";
import { LAYER_WORDS } from "@hindglance/core/change/layerWords";
import type { ClassRule, Layer } from "@hindglance/core/change/rules";
import type { Scene } from "../../api/types";
import { Pick } from "../../ui/Pick";
import { NumberField } from "../../ui/NumberField";
import { type LayerUnit, unitOf } from "../units";
import { withCondition } from "./changes";
import { OF_LABELS, OF_NUMBERS, SIGN } from "./words";

interface Props {
  rule: ClassRule;
  /** Which of the rule's conditions it is. */
  index: number;
  layers: readonly Layer[];
  covers: readonly Scene[];
  cover: Scene | null;
  pickCover(id: string): void;
  unit: LayerUnit;
  start: number;
  onChange(apply: (rule: ClassRule) => ClassRule): void;
}

/** One condition of a class: layer, comparison, value. */
export function ConditionRow(props: Props) {
  const { rule, index, layers, onChange } = props;
  const { layer, op } = rule.all[index]!;
  const signs = layer === "cover" ? OF_LABELS : OF_NUMBERS;
  return (
    <div className="mb-1.5 flex items-center gap-1.5">
      <Pick
        label="Layer"
        className="flex-1"
        value={layer}
        onChange={(next) => onLayer(props, next)}
        options={layers.map((one) => ({ value: one, name: LAYER_WORDS[one].word }))}
      />
      <Pick
        label="Comparison"
        className="w-[58px]"
        value={op}
        onChange={(next) => onChange(withCondition(index, { op: next }))}
        options={signs.map((sign) => ({ value: sign, name: SIGN[sign] }))}
      />
      <Value {...props} />
      <button
        type="button"
        aria-label="Remove condition"
        disabled={rule.all.length === 1}
        onClick={() =>
          onChange((old) => ({ ...old, all: old.all.filter((_one, k) => k !== index) }))
        }
        className="text-soft disabled:opacity-30"
      >
        <X size={14} aria-hidden />
      </button>
    </div>
  );
}

/** Looks at another layer; between numbers and classes the comparison begins anew. */
function onLayer({ rule, index, covers, cover, pickCover, start, onChange }: Props, layer: Layer) {
  if (layer === "cover") {
    const raster = cover ?? covers[0]!;
    if (!cover) {
      pickCover(raster.id);
    }
    const value = raster.info?.classes?.[0]?.label ?? 1;
    onChange(withCondition(index, { layer, op: "=", value }));
    return;
  }
  const wasLabel = OF_LABELS.includes(rule.all[index]!.op);
  onChange(withCondition(index, wasLabel ? { layer, op: "<", value: start } : { layer }));
}

function Value({ rule, index, cover, unit, onChange }: Props) {
  const { layer, value } = rule.all[index]!;
  const set = (next: number) => onChange(withCondition(index, { value: next }));
  if (layer === "cover") {
    return (
      <Pick
        label="Land cover"
        className="w-[110px]"
        value={String(value)}
        onChange={(label) => set(Number(label))}
        options={(cover?.info?.classes ?? []).map(({ label, name }) => ({
          value: String(label),
          name,
        }))}
      />
    );
  }
  const own = unitOf(layer, unit);
  return (
    <>
      <NumberField
        label="Value"
        decimals={own.decimals}
        step={own.step}
        value={value}
        min={-1000}
        max={10000}
        onCommit={set}
      />
      <span className="w-6 text-soft">{own.unit}</span>
    </>
  );
}
