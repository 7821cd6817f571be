import { useCallback } from "react";
import { useSearchParams } from "react-router";
import * as yup from "yup";
import type { Scene } from "../api/types";
import { type Display, STRETCHES, firstDisplay } from "./display";

const displaySchema = yup
  .object({
    mode: yup
      .string()
      .oneOf(["single", "three"] as const)
      .required(),
    bands: yup.tuple([band(), band(), band()]).required(),
    stretch: yup
      .string()
      .oneOf(STRETCHES.map((stretch) => stretch.value))
      .required(),
    by: yup
      .string()
      .oneOf(["scene", "view"] as const)
      .required(),
    gamma: yup.number().min(0.1).max(10).required(),
    ramp: yup.string().nullable().defined(),
    breaks: yup.mixed<NonNullable<Display["breaks"]>>().nullable().defined(),
  })
  .noUnknown();

function band() {
  return yup.number().integer().min(0).required();
}

/** The display that an address says, where it fits the scene; else null. */
export function displayFrom(text: string | null, scene: Scene): Display | null {
  try {
    const display = displaySchema.validateSync(JSON.parse(text ?? ""), { strict: true });
    const count = scene.info?.bands.length ?? 0;
    return display.bands.every((k) => k < count) ? display : null;
  } catch {
    return null;
  }
}

/**
 * The scene that is looked at, with its bands and stretch, kept in the page's address: a link shows
 * a colleague the same, and coming back from another stage too.
 */
export function useSceneAddress(scenes: readonly Scene[] | undefined) {
  const [search, setSearch] = useSearchParams();
  const picked = search.get("scene");
  const scene =
    scenes?.find((one) => one.id === picked) ?? scenes?.find((one) => one.imageId) ?? null;
  const display = scene ? (displayFrom(search.get("show"), scene) ?? firstDisplay(scene)) : null;
  const set = useCallback(
    (id: string, show: Display | null) =>
      setSearch(
        (params) => {
          params.set("scene", id);
          if (show) {
            params.set("show", JSON.stringify(show));
          } else {
            params.delete("show");
          }
          return params;
        },
        { replace: true },
      ),
    [setSearch],
  );
  return {
    scene,
    display,
    pick: (id: string) => set(id, null),
    show: (next: Display) => scene && set(scene.id, next),
  };
}
