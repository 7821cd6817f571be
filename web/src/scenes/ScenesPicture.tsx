import type { ReactNode } from "react";
import { useSceneNode } from "../api/hooks";
import type { AreaGeometry, Scene, Study } from "../api/types";
import { SpotCard } from "../pins/SpotCard";
import { MapChoice } from "../map/MapChoice";
import { Button } from "../ui/Button";
import type { Found } from "./archive/archive";
import { PlacesMap } from "./places/PlacesMap";
import { ScenePicture } from "./picture/ScenePicture";
import type { ArchiveSearch } from "./archive/useArchiveSearch";
import type { useSceneAddress } from "./useSceneAddress";
import type { useSpots } from "./useSpots";

const NONE: Found[] = [];
const SHOWN = [
  { value: "scene", name: "Scene" },
  { value: "places", name: "Footprints" },
] as const;

interface Props {
  study: Study;
  scenes: Scene[] | undefined;
  listed: Scene[];
  address: ReturnType<typeof useSceneAddress>;
  drawing: boolean;
  search: ArchiveSearch;
  /** Whether footprints are shown in place of the scene. */
  places: boolean;
  onPlaces(places: boolean): void;
  spots: ReturnType<typeof useSpots>;
  onDrawn(geometry: AreaGeometry): void;
  onStopDrawing(): void;
  onAdd(): void;
}

/** The scene that is looked at, or the footprints of all, with pins and values on it. */
export function ScenesPicture(props: Props) {
  const { study, scenes, drawing, search, spots, places, onPlaces } = props;
  const { spot, pins, version, setSpot } = spots;
  return (
    <>
      {!!scenes?.length && !drawing && !search.open && (
        <MapChoice
          label="What the picture shows"
          value={places ? "places" : "scene"}
          options={SHOWN}
          onChange={(value) => onPlaces(value === "places")}
        />
      )}
      <Picture {...props} />
      {spot && (
        <SpotCard
          key={spot.place.join()}
          study={study}
          place={spot.place}
          name={pins.find((pin) => pin.id === spot.pin)?.name ?? null}
          version={version}
          onClose={() => setSpot(null)}
        />
      )}
    </>
  );
}

/** Whether footprints are shown: where they were asked for, or an outline is drawn off the picture. */
function showsPlaces({ address, places, search, drawing }: Props): boolean {
  const offTheMap = !address.scene || !!address.scene.info?.sensor;
  return places || search.open || (drawing && offTheMap);
}

function Picture(props: Props): ReactNode {
  const { study, scenes, listed, address, drawing, search, spots } = props;
  const { scene, display } = address;
  const node = useSceneNode(scene?.imageId ? scene : null).data ?? null;
  const { onDrawn, onStopDrawing } = props;
  const drawn = { study, drawing, marks: spots.marks, onDrawn, onStopDrawing };
  if (scenes && showsPlaces(props)) {
    return (
      <PlacesMap
        {...drawn}
        scenes={listed}
        picked={scene}
        found={search.open ? search.found : NONE}
        pointed={search.pointed}
        onSpot={spots.lookAt}
      />
    );
  }
  return scene && node && display ? (
    <ScenePicture
      {...drawn}
      key={node.hash}
      scene={scene}
      node={node}
      display={display}
      onSpot={spots.lookAt}
    />
  ) : (
    <EmptyPicture none={scenes?.length === 0} onAdd={props.onAdd} />
  );
}

function EmptyPicture({ none, onAdd }: { none: boolean; onAdd(): void }) {
  return (
    <div className="flex h-full items-center justify-center text-center text-[#c9d0cd]">
      {none ? (
        <div className="w-[360px]">
          <p className="mb-3 text-[15px] text-white">No scene yet</p>
          <p className="mb-4">
            Add a radar product from before the event and one from after. Dates, bands and geometry
            are read from the files.
          </p>
          <Button onClick={onAdd}>Add files</Button>
        </div>
      ) : (
        <p>The scene is on its way …</p>
      )}
    </div>
  );
}
