import type { Scene, Study } from "../api/types";
import { PinList } from "../pins/PinList";
import { SceneCard } from "./card/SceneCard";
import type { SceneFilter } from "./filters";
import { ScenesSection } from "./ScenesSection";
import { StudyAreaSection } from "./StudyAreaSection";
import type { useSceneAddress } from "./useSceneAddress";
import type { useSpots } from "./useSpots";

interface Props {
  study: Study;
  scenes: Scene[] | undefined;
  listed: Scene[];
  filter: SceneFilter;
  onFilter(filter: SceneFilter): void;
  address: ReturnType<typeof useSceneAddress>;
  spots: ReturnType<typeof useSpots>;
  drawing: boolean;
  onDraw(): void;
  onEdit(): void;
  /** Takes the last change of the study area back; null where there is none. */
  onUndo: (() => void) | null;
  onFiles(files: File[]): void;
  onChoose(): void;
  onSearch(): void;
}

/** Study area, scenes, pins, and the scene that is looked at. */
export function ScenesDesk({ study, scenes, address, spots, ...props }: Props) {
  const { scene, display } = address;
  return (
    <>
      <StudyAreaSection
        study={study}
        drawing={props.drawing}
        onDraw={props.onDraw}
        onEdit={props.onEdit}
        onUndo={props.onUndo}
      />
      <ScenesSection
        study={study}
        scenes={scenes}
        listed={props.listed}
        filter={props.filter}
        onFilter={props.onFilter}
        pickedId={scene?.id ?? null}
        onPick={address.pick}
        onFiles={props.onFiles}
        onChoose={props.onChoose}
        onSearch={props.onSearch}
      />
      {!!scenes?.length && (
        <PinList
          study={study}
          scenes={scenes}
          pins={spots.pins}
          values={spots.values}
          pickedId={spots.spot?.pin ?? null}
          onPick={(pin) => spots.setSpot({ place: [pin.lon, pin.lat], pin: pin.id })}
        />
      )}
      {scene?.imageId && display && (
        <SceneCard
          study={study}
          scenes={scenes ?? []}
          scene={scene}
          display={display}
          onDisplay={address.show}
        />
      )}
    </>
  );
}
