import { type ReactNode, useState } from "react";
import { Plus, X } from "lucide-react";
import { type ChangeSetup } from "@hindglance/core/change/setup";
import {
  LAYERS,
  type ClassRule,
  type Condition,
  type Layer,
  type Operator,
} from "@hindglance/core/change/rules";
import type { Scene } from "../api/types";
import { dayYear, km2 } from "../lib/format";
import { CLASS_COLOURS, ColourChoice } from "./ColourChoice";
import { type LayerUnit, unitOf } from "./units";
import { Button, Labelled, Pick, Pop, inputStyle } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { plainName } from "@hindglance/core/change/twinNames";

const WORD: Record<Layer, string> = {
  before: "before",
  after: "after",
  measure: "change",
  slope: "slope",
  elevation: "elevation",
  drainage: "height above drainage",
  cover: "land cover",
};
const SIGN: Record<Operator, string> = {
  "<": "<",
  "<=": "≤",
  ">": ">",
  ">=": "≥",
  "=": "is",
  "!=": "is not",
};
const NUMBERS: readonly Operator[] = ["<", "<=", ">", ">="];
const LABELS: readonly Operator[] = ["=", "!="];

interface Props {
  /** Classified rasters that rules can look at, and the one that they do. */ covers: readonly Scene[];
  cover: Scene | null;
  head: ReactNode;
  setup: ChangeSetup;
  areas: Record<number, { areaM2: number }> | null;
  exact: boolean;
  hasElevation: boolean;
  unit: LayerUnit;
  /** Thresholds that a new condition begins with. */ start: { measure: number; after: number };
  tools?: ReactNode;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/**
 * Classes in words: each rule is a sentence whose numbers are edited in place, with its area beside
 * it.
 */
export function ClassList({
  covers,
  cover,
  head,
  setup,
  areas,
  exact,
  hasElevation,
  unit,
  start,
  tools,
  change,
}: Props) {
  const edit = (i: number, apply: (classRule: ClassRule) => ClassRule) =>
    change((s) => ({ ...s, rules: s.rules.map((rule, k) => (k === i ? apply(rule) : rule)) }));
  const layers = LAYERS.filter((level) =>
    level === "cover"
      ? covers.length > 0
      : hasElevation || (level !== "slope" && level !== "elevation" && level !== "drainage"),
  );
  const coverName = (value: number) =>
    cover?.info?.classes?.find((classInfo) => classInfo.label === value)?.name ?? `class ${value}`;
  const add = () =>
    change((s) => {
      const label = Math.max(0, ...s.rules.map((rule) => rule.label)) + 1;
      return {
        ...s,
        rules: [
          ...s.rules,
          {
            label,
            name: `Class ${label}`,
            color: CLASS_COLOURS[(label - 1) % CLASS_COLOURS.length]!,
            all: [{ layer: "measure", op: "<", value: start.measure }],
          },
        ],
      };
    });
  return (
    <section aria-label="Classes on the map" className="border-b border-line px-4 py-2">
      <div className="mb-0.5 flex items-center justify-between">
        <span className="shrink-0">{head}</span>
        <span className="flex items-center">
          {tools}
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            onClick={add}
            disabled={setup.rules.length >= 12}
          >
            <Plus size={13} aria-hidden />
            Class
          </Button>
        </span>
      </div>
      <ul>
        {setup.rules.map((rule, i) => (
          <li key={rule.label} className="border-t border-line py-1.5 first:border-t-0">
            <div className="flex items-center gap-2.5">
              <EditClass
                covers={covers}
                cover={cover}
                pickCover={(id) => change((s) => ({ ...s, coverId: id }))}
                unit={unit}
                start={start.after}
                rule={rule}
                taken={setup.rules
                  .filter((other) => other !== rule)
                  .map((other) => plainName(other.name))}
                only={setup.rules.length === 1}
                layers={layers}
                onChange={(apply) => edit(i, apply)}
                onDelete={() =>
                  change((s) => ({ ...s, rules: s.rules.filter((_x, k) => k !== i) }))
                }
              />
              <span
                className="font-mono font-semibold"
                aria-label={`Area of ${rule.name}`}
                title={
                  exact ? "Exact, of the whole image" : "At overview level, while the settings move"
                }
              >
                {areas ? (
                  <>
                    {!exact && <span className="mr-0.5 text-soft">≈</span>}
                    {km2(areas[rule.label]?.areaM2 ?? 0)}
                  </>
                ) : (
                  "–"
                )}
              </span>
            </div>
            <div className="mt-1 flex flex-wrap items-center gap-x-1.5 gap-y-1 pl-[22px] text-soft">
              {rule.all.map((condition, k) => (
                <span key={k} className="inline-flex items-center gap-1.5">
                  {k > 0 && "and "}
                  {WORD[condition.layer]}
                  {condition.layer === "cover" ? (
                    <span>
                      {SIGN[condition.op]}{" "}
                      <b className="font-medium text-ink">{coverName(condition.value)}</b>
                    </span>
                  ) : (
                    <NumberField
                      label={`${rule.name}: ${WORD[condition.layer]} ${SIGN[condition.op]}`}
                      prefix={SIGN[condition.op]}
                      decimals={unitOf(condition.layer, unit).decimals}
                      step={unitOf(condition.layer, unit).step}
                      value={condition.value}
                      min={-1000}
                      max={10000}
                      onCommit={(value) =>
                        edit(i, (classRule) => ({
                          ...classRule,
                          all: classRule.all.map((y, m) => (m === k ? { ...y, value } : y)),
                        }))
                      }
                    />
                  )}
                  {(k === rule.all.length - 1 || rule.all[k + 1]!.layer !== condition.layer) &&
                    (k === rule.all.length - 1 ||
                      unitOf(rule.all[k + 1]!.layer, unit).unit !==
                        unitOf(condition.layer, unit).unit) && (
                      <span>{unitOf(condition.layer, unit).unit}</span>
                    )}
                </span>
              ))}
            </div>
          </li>
        ))}
      </ul>
    </section>
  );
}

function EditClass({
  covers,
  cover,
  pickCover,
  unit,
  start,
  rule,
  taken,
  only,
  layers,
  onChange,
  onDelete,
}: {
  covers: readonly Scene[];
  cover: Scene | null;
  pickCover(id: string): void;
  unit: LayerUnit;
  start: number;
  rule: ClassRule;
  /** Names of the other classes, as they are compared. */
  taken: readonly string[];
  only: boolean;
  layers: readonly Layer[];
  onChange(apply: (classRule: ClassRule) => ClassRule): void;
  onDelete(): void;
}) {
  const [name, setName] = useState<string | null>(null);
  const twin = name !== null && taken.includes(plainName(name));
  const set = (k: number, found: Partial<Condition>) =>
    onChange((classRule) => ({
      ...classRule,
      all: classRule.all.map((condition, i) => (i === k ? { ...condition, ...found } : condition)),
    }));
  return (
    <Pop
      label={`Class ${rule.name}`}
      width={330}
      trigger={
        <button
          type="button"
          title="Edit this class"
          className="flex flex-1 items-center gap-2.5 text-left font-semibold hover:underline"
        >
          <span
            className="h-3 w-3 shrink-0 rounded-[3px]"
            style={{ background: rule.color }}
            aria-hidden
          />
          {rule.name}
        </button>
      }
    >
      <Labelled label="Name">
        {(id) => (
          <input
            id={id}
            className={inputStyle}
            maxLength={60}
            value={name ?? rule.name}
            onChange={(e) => setName(e.target.value)}
            onBlur={() => {
              const n = name?.trim();
              if (n && n !== rule.name && !twin) {
                onChange((classRule) => ({ ...classRule, name: n }));
              }
              setName(null);
            }}
            onKeyDown={(e) => {
              if (e.key === "Enter") {
                e.currentTarget.blur();
              }
            }}
          />
        )}
      </Labelled>
      {twin && (
        <p role="alert" className="mb-2 text-wrong">
          Another class has this name already: the tally could not tell them apart.
        </p>
      )}
      <div className="mb-3">
        <span className="mb-1 block font-medium">Colour</span>
        <ColourChoice
          value={rule.color}
          onChange={(color) => onChange((classRule) => ({ ...classRule, color }))}
        />
      </div>
      <span className="mb-1 block font-medium">A cell belongs to it when</span>
      {rule.all.map((condition, k) => (
        <div key={k} className="mb-1.5 flex items-center gap-1.5">
          <Pick
            label="Layer"
            className="flex-1"
            value={condition.layer}
            onChange={(layer) => {
              if (layer === "cover") {
                const first = cover ?? covers[0]!;
                if (!cover) {
                  pickCover(first.id);
                }
                set(k, { layer, op: "=", value: first.info?.classes?.[0]?.label ?? 1 });
              } else {
                set(k, {
                  layer,
                  ...(LABELS.includes(condition.op) ? { op: "<" as const, value: start } : {}),
                });
              }
            }}
            options={layers.map((layer) => ({ value: layer, name: WORD[layer] }))}
          />
          <Pick
            label="Comparison"
            className="w-[58px]"
            value={condition.op}
            onChange={(op) => set(k, { op })}
            options={(condition.layer === "cover" ? LABELS : NUMBERS).map((options) => ({
              value: options,
              name: SIGN[options],
            }))}
          />
          {condition.layer === "cover" ? (
            <Pick
              label="Land cover"
              className="w-[110px]"
              value={String(condition.value)}
              onChange={(value) => set(k, { value: Number(value) })}
              options={(cover?.info?.classes ?? []).map((classInfo) => ({
                value: String(classInfo.label),
                name: classInfo.name,
              }))}
            />
          ) : (
            <>
              <NumberField
                label="Value"
                decimals={unitOf(condition.layer, unit).decimals}
                step={unitOf(condition.layer, unit).step}
                value={condition.value}
                min={-1000}
                max={10000}
                onCommit={(value) => set(k, { value })}
              />
              <span className="w-6 text-soft">{unitOf(condition.layer, unit).unit}</span>
            </>
          )}
          <button
            type="button"
            aria-label="Remove condition"
            disabled={rule.all.length === 1}
            onClick={() =>
              onChange((classRule) => ({
                ...classRule,
                all: classRule.all.filter((_x, i) => i !== k),
              }))
            }
            className="text-soft disabled:opacity-30"
          >
            <X size={14} aria-hidden />
          </button>
        </div>
      ))}
      {covers.length > 1 && rule.all.some((condition) => condition.layer === "cover") && (
        <Pick
          label="Classified raster"
          value={cover?.id ?? ""}
          onChange={pickCover}
          options={covers.map((scene) => ({
            value: scene.id,
            name: scene.name,
            note: scene.acquiredAt ? dayYear(scene.acquiredAt) : "",
          }))}
        />
      )}
      <div className="mt-3 flex justify-between">
        <Button
          disabled={rule.all.length >= 12}
          onClick={() =>
            onChange((classRule) => ({
              ...classRule,
              all: [...classRule.all, { layer: "after", op: "<", value: start }],
            }))
          }
        >
          Add condition
        </Button>
        <Button disabled={only} onClick={onDelete}>
          Delete class
        </Button>
      </div>
    </Pop>
  );
}
