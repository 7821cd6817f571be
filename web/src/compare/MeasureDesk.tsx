import { comparingOf } from "@hindglance/core/change/comparing";
import { type Measure, measureOf, measuresOf } from "@hindglance/core/change/measures/all";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { BandInfo } from "@hindglance/core/graph/image";
import { Choice } from "../ui/Choice";
import { Pick } from "../ui/Pick";
import { NumberField } from "../ui/NumberField";
import { BandsOf } from "./BandsOf";
import { MeasureFields } from "./MeasureFields";
import { measureHelp, measureName } from "./measures";

/** Changes the settings of a comparison. */
export type ChangeOfSetup = (apply: (setup: ChangeSetup) => ChangeSetup) => void;

/** How the two dates are measured against each other, and with which bands. */
export function MeasureDesk({
  setup,
  bands,
  blurs,
  pickMeasure,
  pickBand,
  change,
}: {
  setup: ChangeSetup;
  bands: readonly BandInfo[];
  /** What blurs banks in Prepare. */
  blurs: readonly string[];
  pickMeasure(m: Measure): void;
  pickBand(k: number): void;
  change: ChangeOfSetup;
}) {
  const band = bands[setup.band];
  const isValue = !!band && comparingOf(band) === "value";
  const part = measureOf(setup.measure);
  const several = !!part.several || (!!setup.groups && setup.groups.of !== "measure");
  return (
    <>
      <div className="grid grid-cols-[1fr_84px] gap-2">
        <Pick
          label="Measure"
          value={setup.measure}
          onChange={pickMeasure}
          options={(band ? measuresOf(band) : [setup.measure]).map((m) => ({
            value: m,
            name: measureName(m, band?.name ?? "", isValue),
          }))}
        />
        <Pick
          label="Band"
          value={String(setup.band)}
          onChange={(k) => pickBand(Number(k))}
          options={bands.flatMap((one, k) =>
            comparingOf(one) === null
              ? []
              : [{ value: String(k), name: one.polarisation ?? one.name }],
          )}
        />
      </div>
      <p className="mt-1.5 text-soft">{measureHelp(setup.measure, isValue)}</p>
      {several && band && <BandsOf setup={setup} bands={bands} change={change} />}
      <MeasureFields setup={setup} bands={bands} change={change} />
      {!isValue && <SpeckleField setup={setup} change={change} />}
      {!isValue && blurs.length > 0 && <SharpField setup={setup} blurs={blurs} change={change} />}
    </>
  );
}

function SpeckleField({ setup, change }: { setup: ChangeSetup; change: ChangeOfSetup }) {
  const set = (some: Partial<ChangeSetup["speckle"]>) =>
    change((now) => ({ ...now, speckle: { ...now.speckle, ...some } }));
  return (
    <div className="mt-2 flex items-center justify-between gap-2">
      <span className="text-soft">Speckle</span>
      <span className="flex items-center gap-2">
        <Choice
          label="Speckle filter"
          value={setup.speckle.filter}
          onChange={(filter) => set({ filter })}
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
            onCommit={(looks) => set({ looks })}
          />
          looks
        </span>
      </span>
    </div>
  );
}

/** A size in cells stays on one line. */
const unbroken = (said: string): string => said.replaceAll(" × ", "\u00a0×\u00a0");

/** Whether both dates are looked at as they were before what blurs banks in Prepare. */
function SharpField({
  setup,
  blurs,
  change,
}: {
  setup: ChangeSetup;
  blurs: readonly string[];
  change: ChangeOfSetup;
}) {
  const isSharp = setup.speckle.blurred !== true;
  const turn = () => change((now) => ({ ...now, speckle: { ...now.speckle, blurred: isSharp } }));
  return (
    <label
      className="mt-2 flex items-start gap-2 text-soft"
      title="Banks stay where they are; the pictures in Prepare stay as they are."
    >
      <input type="checkbox" className="mt-0.5" checked={isSharp} onChange={turn} />
      Leave out what blurs banks in Prepare: {blurs.map(unbroken).join(", ")}
    </label>
  );
}
