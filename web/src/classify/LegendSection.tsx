import { Plus } from "lucide-react";
import type { LegendClass } from "@hindglance/core/classify/settings";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Button } from "../ui/Button";
import { cx } from "../ui/cx";
import { newClass, withClass } from "@hindglance/core/classify/legend";
import { areasOf, isTest, mergedInto, withChanged, withoutClass } from "./changes";
import { EditLegendClass } from "./EditLegendClass";
import { ImportAreas } from "./ImportAreas";
import type { Classify } from "./useClassify";
import type { TrainingOnScreen } from "./useTraining";

interface Props {
  sceneId: string | null;
  classify: Classify;
  training: TrainingOnScreen;
  /** The class that areas are drawn for. */
  active: number | null;
  onActive(label: number): void;
}

/** The classes, with how much ground is known of each, and which one areas are drawn for. */
export function LegendSection({ sceneId, classify, training, active, onActive }: Props) {
  const { settings, change } = classify;
  const { legend } = settings;
  const trained = areasOf(settings, sceneId).filter((area) => !isTest(area));
  const add = () => {
    const one = newClass(legend);
    change(withClass(one));
    onActive(one.label);
  };
  return (
    <Section
      title="Classes"
      right={
        <span className="flex">
          <ImportAreas
            tone="quiet"
            className="h-6 px-1.5"
            name="Training areas"
            as={{ sceneId: null }}
            classify={classify}
          >
            Import areas
          </ImportAreas>
          <Button tone="quiet" className="h-6 px-1.5" disabled={legend.length >= 254} onClick={add}>
            <Plus size={13} aria-hidden />
            Class
          </Button>
        </span>
      }
    >
      {legend.length === 0 && (
        <p className="text-soft">
          Add a class for each kind of ground, and draw areas that you know to be it. Areas that
          somebody drew already can be imported.
        </p>
      )}
      <ul aria-label="Classes">
        {legend.map((one) => (
          <Row
            key={one.label}
            one={one}
            isActive={one.label === active}
            areas={trained.filter(([, { label }]) => label === one.label).length}
            cells={cellsOf(training, one.label)}
            others={legend.filter((other) => other !== one)}
            onActive={() => onActive(one.label)}
            onChange={(part) => change(withChanged(one.label, part))}
            onMerge={(other) => change(mergedInto(one.label, other))}
            onDelete={() => change(withoutClass(one.label))}
          />
        ))}
      </ul>
    </Section>
  );
}

/** Training cells of a class on the date; null while they are not known. */
const cellsOf = ({ data }: TrainingOnScreen, label: number): number | null =>
  data?.classes.find((one) => one.label === label)?.cells ?? null;

interface RowProps {
  one: LegendClass;
  isActive: boolean;
  areas: number;
  cells: number | null;
  others: readonly LegendClass[];
  onActive(): void;
  onChange(part: Partial<LegendClass>): void;
  onMerge(other: number): void;
  onDelete(): void;
}

function Row({ one, isActive, areas, cells, others, ...on }: RowProps) {
  return (
    <li
      className={cx(
        "flex items-center gap-2 rounded-field border px-2 py-1",
        isActive ? "border-spruce bg-white" : "border-transparent",
      )}
    >
      <button
        type="button"
        aria-pressed={isActive}
        title="Draw areas of this class"
        className="flex min-w-0 flex-1 items-center gap-2.5 text-left font-semibold"
        onClick={on.onActive}
      >
        <span
          aria-hidden
          className="h-3 w-3 shrink-0 rounded-[3px]"
          style={{ background: one.color }}
        />
        <span className="truncate">{one.name}</span>
      </button>
      <span className="shrink-0 text-label text-soft">
        {areas === 0 ? "no area" : `${areas} ${areas === 1 ? "area" : "areas"}`}
        {cells !== null && ` · ${number(cells)} ${cells === 1 ? "cell" : "cells"}`}
      </span>
      <EditLegendClass {...{ one, others }} {...on} />
    </li>
  );
}
