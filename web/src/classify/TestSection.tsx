import { useState } from "react";
import type { LegendClass } from "@hindglance/core/classify/settings";
import type { HeldCheck } from "@hindglance/core/classify/train";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Button } from "../ui/Button";
import { HeadRow } from "../ui/HeadRow";
import { Pick } from "../ui/Pick";
import { areasOf, isTest, withoutAreas } from "./changes";
import { ImportAreas } from "./ImportAreas";
import type { Classify } from "./useClassify";
import type { TrainingOnScreen } from "./useTraining";

interface Props {
  sceneId: string;
  classify: Classify;
  training: TrainingOnScreen;
}

/** Which dates areas of a file hold for. */
type Holding = "every" | "this";

const counted = (areas: number): string => `${areas} ${areas === 1 ? "area" : "areas"}`;

/** Ground that classes are tested on and never trained, and how right they are there. */
export function TestSection({ sceneId, classify, training: { data } }: Props) {
  const [holding, setHolding] = useState<Holding>("every");
  const { settings, change } = classify;
  const tests = areasOf(settings, sceneId).filter(isTest);
  return (
    <Section
      title="Test areas"
      right={
        tests.length > 0 && (
          <Button
            tone="quiet"
            className="h-6 px-1.5"
            title="Deletes the test areas of this date; Undo takes it back"
            onClick={() => change(withoutAreas(tests.map(([id]) => id)))}
          >
            Delete all
          </Button>
        )
      }
    >
      <p className="text-soft">
        {tests.length === 0
          ? "None on this date. What lies in them is never trained on, and tells how right the classes are."
          : `${counted(tests.length)} on this date, dashed on the map. Nothing in them is trained on.`}
      </p>
      {data?.tested && <Tested tested={data.tested} classes={data.labels.info.classes ?? []} />}
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <ImportAreas
          classify={classify}
          as={{ isTest: true, sceneId: holding === "this" ? sceneId : null }}
          name="Test areas"
        >
          Import test areas
        </ImportAreas>
        <Pick<Holding>
          label="Dates that imported test areas hold for"
          className="w-[132px]"
          value={holding}
          onChange={setHolding}
          options={[
            { value: "every", name: "for every date" },
            { value: "this", name: "for this date" },
          ]}
        />
      </div>
    </Section>
  );
}

interface TestedProps {
  tested: HeldCheck;
  /** Classes of the model, in the order of the matrix. */
  classes: readonly Pick<LegendClass, "label" | "name">[];
}

/** How much of each class is taken for what it is, and for what the rest is taken most. */
function Tested({ tested, classes }: TestedProps) {
  const isWrong = tested.right < tested.cells;
  return (
    <table className="mt-2 w-full" aria-label="Right in test areas">
      <HeadRow names={["class", "cells", "right", ...(isWrong ? ["else mostly"] : [])]} />
      <tbody>
        {classes.map(({ label, name }, k) => (
          <TestedRow key={label} row={tested.matrix[k]!} own={k} {...{ name, classes, isWrong }} />
        ))}
      </tbody>
      <tfoot>
        <tr className="border-t border-line font-semibold">
          <th scope="row" className="text-left font-semibold">
            all
          </th>
          <td className="text-right font-mono">{number(tested.cells)}</td>
          <td className="text-right font-mono">{share(tested.right, tested.cells)}</td>
          {isWrong && <td />}
        </tr>
      </tfoot>
    </table>
  );
}

const share = (part: number, all: number): string =>
  all === 0 ? "–" : `${number((100 * part) / all, 1)} %`;

interface RowProps extends Pick<TestedProps, "classes"> {
  name: string;
  /** By class that was found: cells. */
  row: readonly number[];
  own: number;
  /** Whether a cell of some class is taken for another. */
  isWrong: boolean;
}

function TestedRow({ name, row, own, classes, isWrong }: RowProps) {
  const all = row.reduce((sum, cells) => sum + cells, 0);
  const others = row.map((cells, k) => (k === own ? 0 : cells));
  const most = others.indexOf(Math.max(...others));
  return (
    <tr>
      <th scope="row" className="max-w-[110px] truncate text-left font-medium">
        {name}
      </th>
      <td className="text-right font-mono">{number(all)}</td>
      <td className="text-right font-mono">{share(row[own]!, all)}</td>
      {isWrong && (
        <td className="max-w-[110px] truncate pl-3 text-right text-soft">
          {others[most]! > 0 ? classes[most]!.name : ""}
        </td>
      )}
    </tr>
  );
}
