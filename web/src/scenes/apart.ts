import type { Scene } from "../api/types";

type Placed = Pick<Scene, "id" | "name" | "footprint">;

/** The middle of a footprint, degrees; null where a scene has none. */
function middle({ footprint }: Placed): [number, number] | null {
  if (!footprint?.length) {
    return null;
  }
  const of = (k: 0 | 1) => {
    const all = footprint.map((position) => position[k]);
    return (Math.min(...all) + Math.max(...all)) / 2;
  };
  return [of(0), of(1)];
}

/** On which side of the others a scene lies, by the axis along which they lie farther apart. */
function sideAmong(own: [number, number], others: readonly [number, number][]): string {
  const mean = (k: 0 | 1) => others.reduce((sum, place) => sum + place[k], 0) / others.length;
  // A degree of longitude is shorter than one of latitude, but for the equator.
  const east = (own[0] - mean(0)) * Math.cos((own[1] * Math.PI) / 180);
  const north = own[1] - mean(1);
  if (Math.abs(east) >= Math.abs(north)) {
    return east > 0 ? "east" : "west";
  }
  return north > 0 ? "north" : "south";
}

/**
 * What tells scenes of the same name apart, by their id: east, west, north or south of the others,
 * and a number where several lie on one side. Scenes with a name of their own have none.
 */
export function apart(scenes: readonly Placed[]): Map<string, string> {
  const out = new Map<string, string>();
  const byName = new Map<string, Placed[]>();
  for (const scene of scenes) {
    byName.set(scene.name, [...(byName.get(scene.name) ?? []), scene]);
  }
  for (const twins of [...byName.values()].filter((all) => all.length > 1)) {
    const taken = new Map<string, number>();
    for (const scene of twins) {
      const own = middle(scene);
      const places = twins.flatMap((other) => {
        const place = other === scene ? null : middle(other);
        return place ? [place] : [];
      });
      const side = own && places.length ? sideAmong(own, places) : "";
      const count = (taken.get(side) ?? 0) + 1;
      taken.set(side, count);
      out.set(scene.id, count > 1 || !side ? `${side} ${count}`.trim() : side);
    }
  }
  return out;
}

/** The name of a scene with what tells it from others of that name. */
export const nameApart = (scene: Placed, tags: ReadonlyMap<string, string>): string => {
  const tag = tags.get(scene.id);
  return tag ? `${scene.name}, ${tag}` : scene.name;
};
