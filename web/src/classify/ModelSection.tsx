import { useState } from "react";
import type { KeptModel } from "@hindglance/contract/classify";
import { METHOD_NAMES } from "@hindglance/core/classify/model";
import { Section } from "../frame/Section";
import { Button } from "../ui/Button";
import { FileButton } from "../ui/FileButton";
import { inputStyle } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import { grouping, wayOf } from "./changes";
import type { Classify } from "./useClassify";
import { saveModel, useModels } from "./useModels";
import type { TrainingOnScreen } from "./useTraining";

/** Stands for training in the list of models. */
const TRAINING = "training";
const GROUPS = "groups";

interface Props {
  studyId: string;
  classify: Classify;
  training: TrainingOnScreen;
}

/** By what dates are classified: training on each, or a model that was kept. */
export function ModelSection({ studyId, classify, training: { data } }: Props) {
  const { settings, change } = classify;
  const all = useModels(studyId);
  const current = all.models.find(({ id }) => id === settings.model);
  const way = wayOf(settings);
  const set = (model: string | null) => change((old) => ({ ...old, model, unsupervised: null }));
  const pick = (id: string) => {
    if (id === GROUPS) {
      change((old) => ({ ...grouping({})(old), model: null }));
    } else {
      set(id === TRAINING ? null : id);
    }
  };
  return (
    <Section title="Model">
      <Pick
        label="Classes by"
        value={way === "model" ? settings.model! : way}
        onChange={pick}
        options={[
          { value: TRAINING, name: "Training on each date" },
          { value: GROUPS, name: "Groups of like cells" },
          ...all.models.map((one) => ({ value: one.id, name: nameOf(one, studyId) })),
          ...(settings.model && !current
            ? [{ value: settings.model, name: "Not kept any more" }]
            : []),
        ]}
      />
      {current && <Facts model={current} />}
      {way === "training" && data && (
        <KeepAs
          key={data.model}
          name={all.models.find(({ id, studyId: of }) => id === data.model && of === studyId)?.name}
          disabled={all.isPending}
          onKeep={(name) => all.keep({ id: data.model, name, applied: data.applied })}
        />
      )}
      <div className="mt-2 flex flex-wrap gap-2">
        <FileButton
          label="File of a model"
          accept=".json,application/json"
          disabled={all.isPending}
          onFile={all.take}
        >
          Take in a model …
        </FileButton>
        {data && (
          <Button onClick={() => void saveModel(studyId, data.model, data.applied)}>
            Save as JSON
          </Button>
        )}
        {current?.studyId === studyId && (
          <Button
            disabled={all.isPending}
            onClick={() => {
              set(null);
              all.forget(current.id);
            }}
          >
            Keep no longer
          </Button>
        )}
      </div>
    </Section>
  );
}

const nameOf = ({ name, studyId, studyName }: KeptModel, here: string): string =>
  studyId === here ? name : `${name} (${studyName})`;

/** What a kept model knows. */
function Facts({ model: { method, inputs, classes } }: { model: KeptModel }) {
  return (
    <p className="mt-1.5 text-soft">
      {METHOD_NAMES[method]} by {inputs.join(", ")}; {classes.map(({ name }) => name).join(", ")}.
      Areas of the same names check it.
    </p>
  );
}

interface KeepProps {
  /** The name that it is kept under; absent: none. */
  name: string | undefined;
  disabled: boolean;
  onKeep(name: string): void;
}

/** Keeps what was trained under a name, for other dates and studies. */
function KeepAs({ name, disabled, onKeep }: KeepProps) {
  const [typed, setTyped] = useState("");
  return name !== undefined ? (
    <p className="mt-1.5 text-soft">This training is kept as “{name}”.</p>
  ) : (
    <form
      className="mt-2 flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(typed.trim());
      }}
    >
      <input
        aria-label="Name of the model"
        placeholder="Name to keep it under"
        className={inputStyle}
        maxLength={120}
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
      />
      <Button type="submit" disabled={disabled || typed.trim() === ""}>
        Keep
      </Button>
    </form>
  );
}
