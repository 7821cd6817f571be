import { number } from "../lib/format";
import { datedIn } from "./ValueTable";
import type { PlaceValues, SceneValues } from "./values";

function valueText({ classes, bands, values }: SceneValues, index: number): string {
  const value = values[0]![index];
  if (value == null) {
    return "nodata";
  }
  return classes
    ? (classes.find(({ label }) => label === value)?.name ?? "no class")
    : `${number(value, 1)} ${bands[index]!.unit}`;
}

/** Values of what has no date, such as elevation; and which scenes have none, with the reason. */
export function UndatedValues({ values }: { values: PlaceValues }) {
  const still = values.scenes.filter(({ acquiredAt, problem }) => !acquiredAt && !problem);
  const troubled = values.scenes.filter(({ problem }) => problem);
  const reasons = troubled.map(({ name, problem }) => `${name} (${problem})`);
  return (
    <>
      {still.map((scene) => (
        <p key={scene.sceneId} className="mt-1 text-[12px]">
          {scene.name}:{" "}
          {scene.bands.map(({ key }, k) => (
            <span key={key} className="font-mono">
              {valueText(scene, k)}
            </span>
          ))}
        </p>
      ))}
      {datedIn(values).length === 0 && still.length === 0 && (
        <p className="py-3 text-soft">No scene has a value here.</p>
      )}
      {reasons.length > 0 && (
        <p className="mt-1 text-label text-soft">Without values: {reasons.join("; ")}.</p>
      )}
    </>
  );
}
