import type { AboutSetting } from "./about";
import type { Field } from "@hindglance/core/form/fields";

type Of<Kind> = Extract<Field, { kind: Kind }>;

/** Orbit files of the study. */
export function OrbitFiles({ about }: AboutSetting<Of<"orbits">>) {
  const { orbits } = about.view;
  if (orbits.length === 0) {
    return (
      <p className="text-soft">
        No orbit file is in the study. Drop .EOF files into Scenes; each finds its scenes by mission
        and time.
      </p>
    );
  }
  return (
    <ul className="text-[12px]">
      {orbits.map((orbit) => (
        <li key={orbit.id} className="mb-1 break-all">
          <b>{orbit.kind}</b> <span className="text-soft">{orbit.fileName}</span>
        </li>
      ))}
    </ul>
  );
}

/** Which elevation another step has picked. */
export function ElevationName({ field, about }: AboutSetting<Of<"elevationName">>) {
  const picked = about.view.elevations.find((elevation) => elevation.id === field.id);
  return (
    <p className="text-label text-soft">
      Elevation: {picked?.name ?? "none picked"}, as in Terrain.
    </p>
  );
}
