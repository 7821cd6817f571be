import { type ReactNode, useState } from "react";
import { Plus, X } from "lucide-react";
import type { ChangeSetup } from "@hindglance/core/change/setup";
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
import { Button, Labelled, NumberField, Pick, Pop, inputStyle } from "../ui/controls";

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
  change(f: (s: ChangeSetup) => ChangeSetup): void;
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
  const edit = (i: number, f: (r: ClassRule) => ClassRule) =>
    change((s) => ({ ...s, rules: s.rules.map((r, k) => (k === i ? f(r) : r)) }));
  const layers = LAYERS.filter((l) =>
    l === "cover"
      ? covers.length > 0
      : hasElevation || (l !== "slope" && l !== "elevation" && l !== "drainage"),
  );
  const coverName = (v: number) =>
    cover?.info?.classes?.find((c) => c.label === v)?.name ?? `class ${v}`;
  const add = () =>
    change((s) => {
      const label = Math.max(0, ...s.rules.map((r) => r.label)) + 1;
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
        {setup.rules.map((r, i) => (
          <li key={r.label} className="border-t border-line py-1.5 first:border-t-0">
            <div className="flex items-center gap-2.5">
              <EditClass
                covers={covers}
                cover={cover}
                pickCover={(id) => change((s) => ({ ...s, coverId: id }))}
                unit={unit}
                start={start.after}
                rule={r}
                only={setup.rules.length === 1}
                layers={layers}
                onChange={(f) => edit(i, f)}
                onDelete={() =>
                  change((s) => ({ ...s, rules: s.rules.filter((_x, k) => k !== i) }))
                }
              />
              <span
                className="font-mono font-semibold"
                aria-label={`Area of ${r.name}`}
                title={
                  exact ? "Exact, of the whole image" : "At overview level, while the settings move"
                }
              >
                {areas ? (
                  <>
                    {!exact && <span className="mr-0.5 text-soft">≈</span>}
                    {km2(areas[r.label]?.areaM2 ?? 0)}
                  </>
                ) : (
                  "–"
                )}
              </span>
            </div>
            <div className="mt-1 flex flex-wrap items-center gap-x-1.5 gap-y-1 pl-[22px] text-soft">
              {r.all.map((c, k) => (
                <span key={k} className="inline-flex items-center gap-1.5">
                  {k > 0 && "and "}
                  {WORD[c.layer]}
                  {c.layer === "cover" ? (
                    <span>
                      {SIGN[c.op]} <b className="font-medium text-ink">{coverName(c.value)}</b>
                    </span>
                  ) : (
                    <NumberField
                      label={`${r.name}: ${WORD[c.layer]} ${SIGN[c.op]}`}
                      prefix={SIGN[c.op]}
                      decimals={unitOf(c.layer, unit).decimals}
                      step={unitOf(c.layer, unit).step}
                      value={c.value}
                      min={-1000}
                      max={10000}
                      onCommit={(value) =>
                        edit(i, (x) => ({
                          ...x,
                          all: x.all.map((y, m) => (m === k ? { ...y, value } : y)),
                        }))
                      }
                    />
                  )}
                  {(k === r.all.length - 1 || r.all[k + 1]!.layer !== c.layer) &&
                    (k === r.all.length - 1 ||
                      unitOf(r.all[k + 1]!.layer, unit).unit !== unitOf(c.layer, unit).unit) && (
                      <span>{unitOf(c.layer, unit).unit}</span>
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
  only: boolean;
  layers: readonly Layer[];
  onChange(f: (r: ClassRule) => ClassRule): void;
  onDelete(): void;
}) {
  const [name, setName] = useState<string | null>(null);
  const set = (k: number, f: Partial<Condition>) =>
    onChange((r) => ({ ...r, all: r.all.map((c, i) => (i === k ? { ...c, ...f } : c)) }));
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
              if (n && n !== rule.name) {
                onChange((r) => ({ ...r, name: n }));
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
      <div className="mb-3">
        <span className="mb-1 block font-medium">Colour</span>
        <ColourChoice value={rule.color} onChange={(color) => onChange((r) => ({ ...r, color }))} />
      </div>
      <span className="mb-1 block font-medium">A cell belongs to it when</span>
      {rule.all.map((c, k) => (
        <div key={k} className="mb-1.5 flex items-center gap-1.5">
          <Pick
            label="Layer"
            className="flex-1"
            value={c.layer}
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
                  ...(LABELS.includes(c.op) ? { op: "<" as const, value: start } : {}),
                });
              }
            }}
            options={layers.map((l) => ({ value: l, name: WORD[l] }))}
          />
          <Pick
            label="Comparison"
            className="w-[58px]"
            value={c.op}
            onChange={(op) => set(k, { op })}
            options={(c.layer === "cover" ? LABELS : NUMBERS).map((o) => ({
              value: o,
              name: SIGN[o],
            }))}
          />
          {c.layer === "cover" ? (
            <Pick
              label="Land cover"
              className="w-[110px]"
              value={String(c.value)}
              onChange={(v) => set(k, { value: Number(v) })}
              options={(cover?.info?.classes ?? []).map((x) => ({
                value: String(x.label),
                name: x.name,
              }))}
            />
          ) : (
            <>
              <NumberField
                label="Value"
                decimals={unitOf(c.layer, unit).decimals}
                step={unitOf(c.layer, unit).step}
                value={c.value}
                min={-1000}
                max={10000}
                onCommit={(value) => set(k, { value })}
              />
              <span className="w-6 text-soft">{unitOf(c.layer, unit).unit}</span>
            </>
          )}
          <button
            type="button"
            aria-label="Remove condition"
            disabled={rule.all.length === 1}
            onClick={() => onChange((r) => ({ ...r, all: r.all.filter((_x, i) => i !== k) }))}
            className="text-soft disabled:opacity-30"
          >
            <X size={14} aria-hidden />
          </button>
        </div>
      ))}
      {covers.length > 1 && rule.all.some((c) => c.layer === "cover") && (
        <Pick
          label="Classified raster"
          value={cover?.id ?? ""}
          onChange={pickCover}
          options={covers.map((s) => ({
            value: s.id,
            name: s.name,
            note: s.acquiredAt ? dayYear(s.acquiredAt) : "",
          }))}
        />
      )}
      <div className="mt-3 flex justify-between">
        <Button
          disabled={rule.all.length >= 12}
          onClick={() =>
            onChange((r) => ({ ...r, all: [...r.all, { layer: "after", op: "<", value: start }] }))
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
