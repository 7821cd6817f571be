import { METHODS, METHOD_NAMES } from "@hindglance/core/classify/model";
import type { ClassifySettings } from "@hindglance/core/classify/settings";
import { Section } from "../frame/Section";
import { number } from "../lib/format";
import { Choice } from "../ui/Choice";
import { Warning } from "../ui/Messages";
import { NumberField } from "../ui/NumberField";
import { Pick } from "../ui/Pick";
import type { Classify } from "./useClassify";
import type { TrainingOnScreen } from "./useTraining";

const HELP: Record<ClassifySettings["method"], string> = {
  likelihood: "Each class as a normal distribution; a cell goes where it is likeliest.",
  mahalanobis: "The class whose mean is nearest in units of its own spread.",
  minimumDistance: "The class whose mean is nearest.",
  spectralAngle: "The class whose spectrum has the same shape, however bright.",
  forest: "Many trees of yes-and-no questions, each grown from other cells; they vote.",
};

/** How classes are told apart, and how sure that is. */
export function MethodSection({
  classify,
  training,
}: {
  classify: Classify;
  training: TrainingOnScreen;
}) {
  const { settings, change } = classify;
  const set = (part: Partial<ClassifySettings>) => change((old) => ({ ...old, ...part }));
  const { data } = training;
  return (
    <Section title="Method">
      {!settings.model && <Fields settings={settings} set={set} />}
      {data?.warnings.map((warning) => (
        <div key={warning} className="mt-2">
          <Warning>{warning}</Warning>
        </div>
      ))}
      {data && <Sure data={data} isKept={!!settings.model} />}
    </Section>
  );
}

interface FieldsProps {
  settings: ClassifySettings;
  set(part: Partial<ClassifySettings>): void;
}

/** How a date is trained on. */
function Fields({ settings, set }: FieldsProps) {
  return (
    <>
      <Pick
        label="Method"
        value={settings.method}
        onChange={(method) => set({ method, reject: null })}
        options={METHODS.map((method) => ({ value: method, name: METHOD_NAMES[method] }))}
      />
      <p className="mt-1.5 text-soft">{HELP[settings.method]}</p>
      {settings.method === "forest" && <ForestFields forest={settings.forest} set={set} />}
      {settings.method === "likelihood" && <Priors settings={settings} set={set} />}
      <RejectField settings={settings} set={set} />
      <div className="mt-2 flex items-center justify-between gap-2">
        <span className="text-soft">Areas held aside to check</span>
        <NumberField
          label="Areas held aside, percent"
          value={100 * settings.heldShare}
          min={0}
          max={50}
          step={5}
          decimals={0}
          unit="%"
          onCommit={(percent) => set({ heldShare: percent / 100 })}
        />
      </div>
    </>
  );
}

/** How frequent classes are taken to be. */
function Priors({ settings, set }: FieldsProps) {
  return (
    <div className="mt-2">
      <p className="mb-1 text-soft">How frequent classes are taken to be</p>
      <Choice
        label="Priors"
        value={settings.priors}
        onChange={(priors) => set({ priors })}
        options={[
          { value: "equal", name: "alike" },
          { value: "training", name: "as trained", hint: "As frequent as training cells" },
          { value: "given", name: "by hand", hint: "As you know it of the ground" },
        ]}
      />
      {settings.priors === "given" && <Frequencies settings={settings} set={set} />}
    </div>
  );
}

/** Percents of the ground, class by class. */
function Frequencies({ settings: { legend, frequencies }, set }: FieldsProps) {
  const of = (label: number) => frequencies?.[String(label)] ?? 100 / legend.length;
  const sum = legend.reduce((total, { label }) => total + of(label), 0);
  return (
    <>
      <ul className="mt-2 space-y-1" aria-label="How frequent each class is">
        {legend.map(({ label, name, color }) => (
          <li key={label} className="flex items-center gap-2">
            <span aria-hidden className="h-2.5 w-2.5 rounded-[3px]" style={{ background: color }} />
            <span className="min-w-0 flex-1 truncate">{name}</span>
            <NumberField
              label={`${name}, percent of the ground`}
              value={of(label)}
              min={0}
              max={100}
              step={5}
              decimals={1}
              unit="%"
              onCommit={(percent) =>
                set({ frequencies: { ...frequencies, [String(label)]: percent } })
              }
            />
          </li>
        ))}
      </ul>
      {Math.abs(sum - 100) > 0.05 && (
        <p className="mt-1 text-soft">Together {number(sum, 1)} %: they are taken in proportion.</p>
      )}
    </>
  );
}

interface Limit {
  label: string;
  unit: string;
  start: number;
  max: number;
  step: number;
  decimals: number;
  /** Of the value that is kept, as it is shown. */
  factor: number;
  /** What is left out. */
  says: string;
}

const BY_CHANCE: Limit = {
  ...{ label: "Share of a class's own cells, percent", unit: "%", start: 0.01, max: 50 },
  ...{ step: 0.5, decimals: 1, factor: 100 },
  says: "Cells farther from their class than all but this share of its own cells have none.",
};
/** What is too far from its class, by method, in the unit of the method. */
const LIMITS: Record<ClassifySettings["method"], Limit> = {
  likelihood: BY_CHANCE,
  mahalanobis: BY_CHANCE,
  minimumDistance: {
    ...{ label: "Greatest distance", unit: "", start: 0.1, max: 1e6 },
    ...{ step: 0.01, decimals: 3, factor: 1 },
    says: "Cells farther than this from the mean of their class, in the unit of the inputs, have none.",
  },
  spectralAngle: {
    ...{ label: "Greatest angle, degrees", unit: "°", start: 10, max: 90 },
    ...{ step: 1, decimals: 1, factor: 1 },
    says: "Cells whose angle to their class is greater have none.",
  },
  forest: {
    ...{ label: "Least probability, percent", unit: "%", start: 0.5, max: 100 },
    ...{ step: 5, decimals: 0, factor: 100 },
    says: "Cells for which fewer trees vote have no class.",
  },
};

/** Whether cells that are like no class are left without one, and from where on. */
function RejectField({
  settings: { method, reject },
  set,
}: {
  settings: ClassifySettings;
  set(part: Partial<ClassifySettings>): void;
}) {
  const { label, unit, start, max, step, decimals, factor, says } = LIMITS[method];
  return (
    <>
      <div className="mt-2 flex min-h-[28px] items-center justify-between gap-2">
        <label className="flex items-center gap-2 text-soft">
          <input
            type="checkbox"
            checked={reject !== null}
            onChange={() => set({ reject: reject === null ? start : null })}
          />
          Leave out what is like no class
        </label>
        {reject !== null && (
          <NumberField
            {...{ label, max, step, decimals, unit }}
            value={factor * reject}
            min={0}
            onCommit={(value) => set({ reject: value / factor })}
          />
        )}
      </div>
      {reject !== null && <p className="text-soft">{says}</p>}
    </>
  );
}

function ForestFields({
  forest,
  set,
}: {
  forest: ClassifySettings["forest"];
  set(part: Partial<ClassifySettings>): void;
}) {
  const field = (
    what: keyof ClassifySettings["forest"],
    { name, min, max }: { name: string; min: number; max: number },
  ) => (
    <span className="flex items-center gap-1 text-soft">
      <NumberField
        label={name}
        value={forest[what]}
        min={min}
        max={max}
        step={1}
        decimals={0}
        onCommit={(value) => set({ forest: { ...forest, [what]: value } })}
      />
      {name.toLowerCase()}
    </span>
  );
  return (
    <div className="mt-2 flex justify-between gap-2">
      {field("trees", { name: "Trees", min: 1, max: 500 })}
      {field("depth", { name: "Deep", min: 1, max: 20 })}
      {field("seed", { name: "Seed", min: 0, max: 4294967295 })}
    </div>
  );
}

type Data = NonNullable<TrainingOnScreen["data"]>;

/** What the check says: of areas that were held aside, and of cells that trees have not seen. */
function Sure({ data, isKept }: { data: Data; isKept: boolean }) {
  const nothing = isKept ? "no area of its classes" : "nothing held aside";
  const { check, outOfBag, importance, inputs } = data;
  const best = importance
    ? inputs
        .map((name, k) => ({ name, share: importance[k]! }))
        .sort((a, b) => b.share - a.share)
        .slice(0, 3)
    : [];
  return (
    <dl className="mt-2 grid grid-cols-[1fr_auto] gap-y-1">
      <dt
        className="text-soft"
        title={
          isKept
            ? "Cells of the areas of this date that are taken for what they are"
            : "By a training without those areas; the map is trained on all of them"
        }
      >
        {isKept ? "Right in the areas here" : "Right of what was held aside"}
      </dt>
      <dd className="text-right font-mono">
        {check
          ? `${number((100 * check.right) / check.cells, 1)} % of ${number(check.cells)} cells`
          : nothing}
      </dd>
      {outOfBag !== null && (
        <>
          <dt className="text-soft">Wrong out of the bag</dt>
          <dd className="text-right font-mono">{number(100 * outOfBag, 1)} %</dd>
        </>
      )}
      {best.length > 0 && (
        <>
          <dt className="text-soft">Inputs that told most</dt>
          <dd className="text-right font-mono">
            {best.map(({ name, share }) => `${name} ${number(100 * share)} %`).join(", ")}
          </dd>
        </>
      )}
    </dl>
  );
}
