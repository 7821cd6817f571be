import { useState } from "react";
import { InputError } from "@hindglance/core/errors";
import type { Drawing } from "@hindglance/core/accuracy/sample";
import type { ChangeMap } from "../api/types";
import { Section } from "../frame/Section";
import { areaSaid, number } from "../lib/format";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Hint } from "../ui/Hint";
import { Row } from "../ui/Labelled";
import { Problem } from "../ui/Messages";
import { NumberField } from "../ui/NumberField";
import {
  FIRST_WISHES,
  type PlannedClass,
  type PlannedSample,
  type Wishes,
  orderOf,
  plannedSample,
} from "./planning";
import { useDraw } from "./useSamples";

const DRAWINGS: { value: Drawing; name: string; hint: string }[] = [
  { value: "stratified", name: "By class", hint: "So many places of every class" },
  { value: "simple", name: "Simple", hint: "Places anywhere on the map, each cell as likely" },
  { value: "systematic", name: "Systematic", hint: "Places on a lattice that begins at random" },
];

interface Props {
  map: ChangeMap;
  /** How many samples the map has already. */
  samples: number;
  /** Is given the id of a sample that was drawn. */
  onDrawn(sample: string): void;
}

/** A plan, or why there is none. */
function planOf(map: ChangeMap, wishes: Wishes): PlannedSample | InputError {
  try {
    return plannedSample(map, wishes);
  } catch (error) {
    if (error instanceof InputError) {
      return error;
    }
    throw error;
  }
}

/** Plans a sample of a map: how many places, of what, drawn how; and draws it. */
export function Planner({ map, samples, onDrawn }: Props) {
  const [wishes, setWishes] = useState<Wishes>(FIRST_WISHES);
  const { draw, isBusy } = useDraw(map, onDrawn);
  const planned = planOf(map, wishes);
  const change = (part: Partial<Wishes>) => setWishes((old) => ({ ...old, ...part }));
  const isByClass = wishes.drawing === "stratified";
  return (
    <>
      <Section title="New sample">
        <Choice<Drawing>
          label="How places are drawn"
          className="mb-2 w-full"
          value={wishes.drawing}
          onChange={(drawing) => change({ drawing })}
          options={DRAWINGS}
        />
        <Fields {...{ wishes, change, isByClass }} />
      </Section>
      {planned instanceof InputError ? (
        <Section>
          <Problem>
            {planned.message}. {planned.hint}
          </Problem>
        </Section>
      ) : (
        <>
          {isByClass && <PlanTable {...{ wishes, change }} classes={planned.classes} />}
          <Section>
            <p className="mb-2 text-soft">{planWords(planned, isByClass)}</p>
            <Button
              tone="act"
              disabled={isBusy}
              onClick={() =>
                draw({ ...orderOf(map, wishes, planned), name: `Sample ${samples + 1}` })
              }
            >
              {isBusy ? "Drawing …" : `Draw ${number(planned.places)} places`}
            </Button>
          </Section>
        </>
      )}
    </>
  );
}

function planWords({ plan, places }: PlannedSample, isByClass: boolean): string {
  const needed = `The error that is wanted needs ${number(plan.needed)} places.`;
  const reached = 100 * plan.standardError;
  return isByClass
    ? `${needed} With these ${number(places)} it will be about ${number(reached, 2)} %, if classes are as right as expected.`
    : needed;
}

interface FieldProps {
  wishes: Wishes;
  change(part: Partial<Wishes>): void;
  isByClass: boolean;
}

const NEAR_TEXT =
  "Mistakes lie along borders. Places of their own near the change find what the map missed there with far fewer of them.";

function Fields({ wishes, change, isByClass }: FieldProps) {
  const whole = { decimals: 0, step: 1 };
  return (
    <>
      <Row label="Standard error of overall accuracy">
        <NumberField
          {...{ label: "Standard error, percent", min: 0.1, max: 20, decimals: 1, unit: "%" }}
          value={wishes.errorPercent}
          onCommit={(errorPercent) => change({ errorPercent })}
        />
      </Row>
      {isByClass && (
        <>
          <Row label="Of every class at least">
            <NumberField
              {...{ ...whole, label: "Places of every class at least", min: 2, max: 2000 }}
              value={wishes.least}
              onCommit={(least) => change({ least })}
            />
          </Row>
          <Row label={<Hint text={NEAR_TEXT}>Near change, within cells</Hint>}>
            <NumberField
              {...{ ...whole, label: "Cells around change", min: 0, max: 20 }}
              value={wishes.nearCells}
              onCommit={(nearCells) => change({ nearCells })}
            />
          </Row>
          {wishes.nearCells > 0 && (
            <Row label="Places near change">
              <NumberField
                {...{ ...whole, label: "Places near change", min: 2, max: 5000, step: 10 }}
                value={wishes.nearUnits}
                onCommit={(nearUnits) => change({ nearUnits })}
              />
            </Row>
          )}
        </>
      )}
      <Row label={<Hint text="The same seed draws the same places.">Seed</Hint>}>
        <NumberField
          {...{ ...whole, label: "Seed", min: 0, max: 4_294_967_295 }}
          value={wishes.seed}
          onCommit={(seed) => change({ seed })}
        />
      </Row>
    </>
  );
}

interface TableProps extends Pick<FieldProps, "wishes" | "change"> {
  classes: readonly PlannedClass[];
}

/** Expected accuracies and places by class; both can be typed. */
function PlanTable({ wishes, change, classes }: TableProps) {
  return (
    <Section title="By class">
      <table className="w-full" aria-label="Places by class">
        <thead>
          <tr className="text-soft">
            <th scope="col" className="text-left font-normal">
              class
            </th>
            <th scope="col" className="text-right font-normal">
              expected right
            </th>
            <th scope="col" className="text-right font-normal">
              places
            </th>
          </tr>
        </thead>
        <tbody>
          {classes.map(({ label, name, color, cells, areaM2, expectedPercent, units }) => (
            <tr key={label}>
              <th
                scope="row"
                className="max-w-[150px] truncate py-0.5 text-left font-medium"
                title={`${name}, ${areaSaid(areaM2)}`}
              >
                <span
                  aria-hidden
                  className="mr-1.5 inline-block h-2.5 w-2.5 rounded-[3px]"
                  style={{ background: color }}
                />
                {name}
              </th>
              <td className="text-right">
                <NumberField
                  {...{ label: `Expected accuracy of ${name}`, unit: "%" }}
                  {...{ decimals: 0, step: 1, min: 0, max: 100 }}
                  value={expectedPercent}
                  onCommit={(percent) =>
                    change({ expected: { ...wishes.expected, [label]: percent } })
                  }
                />
              </td>
              <td className="text-right">
                <NumberField
                  {...{ label: `Places of ${name}`, decimals: 0, step: 1, min: 0, max: cells }}
                  value={units}
                  onCommit={(count) => change({ units: { ...wishes.units, [label]: count } })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}
