import type { Field } from "@hindglance/core/form/fields";
import { Row } from "../../ui/Labelled";
import { Pick } from "../../ui/Pick";
import type { AboutSetting } from "./about";

type SceneOf = Extract<Field, { kind: "scene" }>;

/** Scenes that a field offers. */
function scenesFor({ field, about }: AboutSetting<SceneOf>): { value: string; name: string }[] {
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
export function SceneSetting(setting: AboutSetting<SceneOf>) {
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
