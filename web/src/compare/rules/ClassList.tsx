import { type ReactNode, useState } from "react";
import { Plus } from "lucide-react";
import { LAYER_WORDS } from "@hindglance/core/change/layerWords";
import type { ClassRule, Condition } from "@hindglance/core/change/rules";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { plainName } from "@hindglance/core/change/twinNames";
import type { Scene } from "../../api/types";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/NumberField";
import { ClassArea } from "../ClassArea";
import { type LayerUnit, unitOf } from "../units";
import {
  MOST_CLASSES,
  layersOf,
  turned,
  withClass,
  withCondition,
  withRule,
  withoutClass,
} from "./changes";
import { EditClass } from "./EditClass";
import { SIGN } from "./words";

interface Props {
  /** Classified rasters that rules can look at, and the one that they do. */
  covers: readonly Scene[];
  cover: Scene | null;
  head: ReactNode;
  setup: ChangeSetup;
  areas: Record<number, { areaM2: number }> | null;
  exact: boolean;
  hasElevation: boolean;
  hasCross: boolean;
  hasSecond: boolean;
  unit: LayerUnit;
  /** Thresholds that a new condition begins with. */
  start: { measure: number; after: number };
  tools?: ReactNode;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

/**
 * Classes in words: each rule is a sentence whose numbers are edited in place, with its area beside
 * it.
 */
export function ClassList({ head, tools, setup, areas, exact, change, ...props }: Props) {
  const { covers, cover, unit, start } = props;
  const { rules } = setup;
  return (
    <section aria-label="Classes on the map" className="border-b border-line px-4 py-2">
      <div className="mb-0.5 flex items-center justify-between">
        <span className="shrink-0">{head}</span>
        <span className="flex items-center">
          {tools}
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            onClick={() => change(withClass(start.measure))}
            disabled={rules.length >= MOST_CLASSES}
          >
            <Plus size={13} aria-hidden />
            Class
          </Button>
        </span>
      </div>
      <ul>
        {rules.map((rule) => (
          <li key={rule.label} className="border-t border-line py-1.5 first:border-t-0">
            <div className="flex items-center gap-2.5">
              <EditClass
                {...{ covers, cover, unit, rule }}
                pickCover={(id) => change((old) => ({ ...old, coverId: id }))}
                start={start.after}
                taken={rules
                  .filter((other) => other !== rule)
                  .map((other) => plainName(other.name))}
                only={rules.length === 1}
                layers={layersOf({ ...props, hasCover: covers.length > 0 })}
                onChange={(apply) => change(withRule(rule.label, apply))}
                onDelete={() => change(withoutClass(rule.label))}
              />
              {rule.off ? (
                <Off rule={rule} onTurnOn={() => change(withRule(rule.label, turned(true)))} />
              ) : (
                <ClassArea name={rule.name} label={rule.label} areas={areas} exact={exact} />
              )}
            </div>
            {!rule.off && (
              <Sentence
                {...{ rule, cover, unit }}
                edit={(apply) => change(withRule(rule.label, apply))}
              />
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A class that takes no cells, and the button that lets it. */
const Off = ({ rule, onTurnOn }: { rule: ClassRule; onTurnOn(): void }) => (
  <span className="flex items-center gap-1 text-soft">
    off
    <Button
      tone="quiet"
      className="h-6 px-1.5"
      aria-label={`Turn on ${rule.name}`}
      onClick={onTurnOn}
    >
      Turn on
    </Button>
  </span>
);

interface SentenceProps {
  rule: ClassRule;
  cover: Scene | null;
  unit: LayerUnit;
  edit(apply: (rule: ClassRule) => ClassRule): void;
}

/** A rule in words, with its numbers to be edited. */
function Sentence({ rule, cover, unit, edit }: SentenceProps) {
  const [isOpen, setOpen] = useState(false);
  const folded = rule.all.length - SHOWN_CONDITIONS;
  const shown = isOpen || folded <= 1 ? rule.all : rule.all.slice(0, SHOWN_CONDITIONS);
  return (
    <div className="mt-1 flex flex-wrap items-center gap-x-1.5 gap-y-1 pl-[22px] text-soft">
      {shown.map((condition, k) => (
        <span key={k} className="inline-flex items-center gap-1.5">
          {k > 0 && "and "}
          <span title={LAYER_WORDS[condition.layer].meaning}>
            {LAYER_WORDS[condition.layer].word}
          </span>
          {condition.layer === "cover" ? (
            <span>
              {SIGN[condition.op]}{" "}
              <b className="font-medium text-ink">{coverName(cover, condition.value)}</b>
            </span>
          ) : (
            <NumberField
              label={`${rule.name}: ${LAYER_WORDS[condition.layer].word} ${SIGN[condition.op]}`}
              prefix={SIGN[condition.op]}
              decimals={unitOf(condition.layer, unit).decimals}
              step={unitOf(condition.layer, unit).step}
              value={condition.value}
              min={-1000}
              max={10000}
              onCommit={(value) => edit(withCondition(k, { value }))}
            />
          )}
          {endsItsUnit(condition, shown[k + 1], unit) && (
            <span>{unitOf(condition.layer, unit).unit}</span>
          )}
        </span>
      ))}
      {folded > 1 && (
        <Button
          tone="quiet"
          className="h-6 px-1.5"
          aria-expanded={isOpen}
          aria-label={
            isOpen
              ? `Fewer conditions of ${rule.name}`
              : `${folded} more conditions of ${rule.name}`
          }
          title={isOpen ? "Fewer conditions" : `${folded} more conditions`}
          onClick={() => setOpen(!isOpen)}
        >
          {isOpen ? "–" : `+ ${folded}`}
        </Button>
      )}
    </div>
  );
}

/** Conditions of a class that stand on the desk before it is unfolded. */
const SHOWN_CONDITIONS = 2;

const coverName = (cover: Scene | null, value: number): string =>
  cover?.info?.classes?.find(({ label }) => label === value)?.name ?? `class ${value}`;

/** A unit is written once where the next number has it too. */
function endsItsUnit(condition: Condition, next: Condition | undefined, unit: LayerUnit): boolean {
  return !next || unitOf(next.layer, unit).unit !== unitOf(condition.layer, unit).unit;
}
