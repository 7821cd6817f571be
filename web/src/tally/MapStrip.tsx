import type { ChangeMap, Scene, Study } from "../api/types";
import { TimeStrip } from "../frame/strip/TimeStrip";

/** A date that a map was made of, as long as the study has it or its file. */
export const dateOfMap = (
  map: ChangeMap | null,
  scenes: readonly Scene[],
  side: "before" | "after",
): Scene | null =>
  scenes.find((scene) => scene.id === map?.provenance.scenes?.[`${side}Id`]) ??
  scenes.find((scene) => scene.fileSha256 === map?.provenance[side].sha256) ??
  null;

interface Props {
  study: Study;
  scenes: Scene[];
  map: ChangeMap | null;
}

/** The strip with the dates that a map was made of. */
export const MapStrip = ({ study, scenes, map }: Props) => (
  <TimeStrip
    study={study}
    scenes={scenes}
    mapId={map?.id ?? null}
    beforeId={dateOfMap(map, scenes, "before")?.id ?? null}
    afterId={dateOfMap(map, scenes, "after")?.id ?? null}
  />
);
