import { day, number } from "../lib/format";
import type { PlaceValues, SceneValues, Series } from "./values";

interface Props {
  values: PlaceValues;
  series: Series[];
  beforeId: string | null;
  afterId: string | null;
}

/** Scenes with a date and a value at the place. */
export const datedIn = ({ scenes }: PlaceValues): SceneValues[] =>
  scenes.filter(
    ({ acquiredAt, problem, bands, values }) =>
      acquiredAt && !problem && bands.length > 0 && values[0]!.some((value) => value !== null),
  );

/** What a scene shows besides numbers: its class, the angle, and where it sees nothing. */
function alsoOf({ classes, bands, values }: SceneValues): string {
  const own = values[0]!;
  if (classes) {
    return classes.find(({ label }) => label === own[0])?.name ?? "no class";
  }
  const said = bands.flatMap(({ role }, k) => {
    const value = own[k];
    if (role === "angle" && value != null) {
      return [`incidence ${number(value, 0)}°`];
    }
    return role === "hidden" && value ? ["layover or shadow"] : [];
  });
  return said.join(", ");
}

function valueOf({ bands, values }: SceneValues, key: string): string {
  const k = bands.findIndex((band) => band.key === key);
  const value = k < 0 ? null : values[0]![k];
  return value == null ? "–" : number(value, bands[k]!.role === "reflectance" ? 3 : 2);
}

/** Every date with its values. */
export function ValueTable({ values, series, beforeId, afterId }: Props) {
  const colourOf = (id: string): string => {
    if (id === beforeId) {
      return "font-semibold text-beforeink";
    }
    return id === afterId ? "font-semibold text-afterink" : "";
  };
  return (
    <table className="mt-1 w-full text-[12px]">
      <thead>
        <tr className="text-left text-label text-soft">
          <th className="font-normal">Date</th>
          {series.map(({ key, unit }) => (
            <th key={key} className="text-right font-normal">
              {key}
              {unit ? `, ${unit}` : ""}
            </th>
          ))}
          <th className="pl-3 font-normal">also</th>
        </tr>
      </thead>
      <tbody>
        {datedIn(values).map((scene) => (
          <tr key={scene.sceneId} className="border-t border-line">
            <td className={`whitespace-nowrap ${colourOf(scene.sceneId)}`}>
              {day(scene.acquiredAt!)}
            </td>
            {series.map(({ key }) => (
              <td key={key} className="text-right font-mono">
                {valueOf(scene, key)}
              </td>
            ))}
            <td className="truncate pl-3 text-label text-soft">{alsoOf(scene)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
