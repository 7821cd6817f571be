import type { Field } from "@hindglance/core/chain/fields";
import { Choice, Pick, Row } from "../../ui/controls";
import type { Setting } from "./about";

type ChoiceOf = Extract<Field, { kind: "choice" }>;
type PickOf = Extract<Field, { kind: "pick" }>;
type SceneOf = Extract<Field, { kind: "scene" }>;

/** What an option is called inside a control, whose values are texts. */
const keyOf = (value: unknown): string => JSON.stringify(value ?? null);

/** One of a few, all of them in view. */
export function ChoiceSetting({ field, own, change }: Setting<ChoiceOf>) {
  const choice = (
    <Choice
      label={field.name ?? field.label}
      className={field.whole ? "flex" : undefined}
      value={keyOf(own[field.at] ?? field.usual)}
      onChange={(key) =>
        change({ [field.at]: field.options.find((option) => keyOf(option.value) === key)!.value })
      }
      options={field.options.map(({ value, name, hint }) => ({ value: keyOf(value), name, hint }))}
    />
  );
  return field.whole ? (
    <div className="mb-2">{choice}</div>
  ) : (
    <Row label={field.label}>{choice}</Row>
  );
}

/** One of many. */
export function PickSetting({ field, own, change }: Setting<PickOf>) {
  return (
    <Row label={field.label}>
      <Pick
        label={field.name ?? field.label}
        className="w-[160px]"
        value={keyOf(own[field.at])}
        onChange={(key) =>
          change({ [field.at]: field.options.find((option) => keyOf(option.value) === key)!.value })
        }
        options={field.options.map(({ value, name }) => ({ value: keyOf(value), name }))}
      />
    </Row>
  );
}

/** Scenes that a field offers. */
function scenesFor({ field, about }: Setting<SceneOf>): { value: string; name: string }[] {
  const { view, row } = about;
  if (field.among === "elevation") {
    return view.elevations.map(({ id, name }) => ({ value: id, name }));
  }
  const rows =
    field.among === "others"
      ? view.rows.filter(
          ({ sceneId }) => sceneId !== row?.sceneId && !view.heldOut.includes(sceneId),
        )
      : view.rows;
  return rows.map(({ sceneId, name, label }) => ({ value: sceneId, name, note: label }));
}

const NONE = "none";

/** A scene of the study, or what stands for none. */
export function SceneSetting(setting: Setting<SceneOf>) {
  const { field, own, change } = setting;
  const none = { value: NONE, name: field.none.name };
  const scenes = scenesFor(setting);
  return (
    <Row label={field.label}>
      <Pick
        label={field.name ?? field.label}
        className="w-[190px]"
        value={typeof own[field.at] === "string" ? String(own[field.at]) : NONE}
        onChange={(value) => change({ [field.at]: value === NONE ? null : value })}
        options={field.among === "elevation" ? [...scenes, none] : [none, ...scenes]}
      />
    </Row>
  );
}
