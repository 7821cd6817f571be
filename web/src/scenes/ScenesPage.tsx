import { useMemo, useState } from "react";
import { useOutletContext } from "react-router";
import { useQueryClient } from "@tanstack/react-query";
import { useDropzone } from "react-dropzone";
import { useScenes } from "../api/hooks";
import type { Study } from "../api/types";
import { Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { PinList } from "../pins/PinList";
import { useUi } from "../state/ui";
import { StudyDialog } from "../studies/StudyDialog";
import { ArchiveDesk } from "./ArchiveDesk";
import type { Found } from "./archive";
import { byFolder } from "./files";
import { NO_FILTER, type SceneFilter, filtered } from "./filters";
import { SceneCard } from "./SceneCard";
import { ScenesPicture } from "./ScenesPicture";
import { ScenesSection } from "./ScenesSection";
import { StudyAreaSection } from "./StudyAreaSection";
import { useSending } from "./uploads";
import { useSceneAddress } from "./useSceneAddress";
import { useSpots } from "./useSpots";
import { useStudyArea } from "./useStudyArea";

/** Sends files that were dropped or picked; those that belong together go as one. */
function useTakeFiles(studyId: string): (files: File[]) => void {
  const queryClient = useQueryClient();
  return (files) => {
    const { add, addFolder } = useSending.getState();
    for (const [root, list] of byFolder(files)) {
      (root ? addFolder : add)(queryClient, studyId, list);
    }
  };
}

/** What is searched in the archive, while it is. */
function useSearch() {
  const [searching, setSearching] = useState(false);
  const [found, setFound] = useState<Found[]>([]);
  const [pointed, setPointed] = useState<string | null>(null);
  return {
    searching,
    found,
    setFound,
    pointed,
    setPointed,
    begin: () => setSearching(true),
    end: () => {
      setSearching(false);
      setFound([]);
    },
  };
}

/** Scenes: what there is of a place, looked at before it is worked with. */
export function ScenesPage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  const address = useSceneAddress(scenes);
  const { scene, display } = address;
  const search = useSearch();
  const spots = useSpots(study.id, scenes);
  const area = useStudyArea(study);
  const [drawing, setDrawing] = useState(false);
  const [editing, setEditing] = useState(false);
  const [places, setPlaces] = useState(false);
  const [filter, setFilter] = useState<SceneFilter>(NO_FILTER);
  const listed = useMemo(() => filtered(scenes ?? [], filter), [scenes, filter]);
  const take = useTakeFiles(study.id);
  const drop = useDropzone({ onDrop: take, noClick: true, noKeyboard: true });
  return (
    <div {...drop.getRootProps({ className: "flex min-h-0 flex-1" })}>
      <input {...drop.getInputProps()} aria-label="Files" />
      <Workspace
        label="Scenes"
        picture={
          <ScenesPicture
            study={study}
            scenes={scenes}
            listed={listed}
            scene={scene}
            display={display}
            drawing={drawing}
            searching={search.searching}
            places={places}
            onPlaces={setPlaces}
            found={search.found}
            pointed={search.pointed}
            spots={spots}
            onDrawn={(geometry) => area.set(geometry, () => setDrawing(false))}
            onStopDrawing={() => setDrawing(false)}
            onAdd={drop.open}
          />
        }
        strip={
          <TimeStrip
            study={study}
            scenes={scenes ?? []}
            beforeId={study.compare?.beforeId ?? null}
            afterId={study.compare?.afterId ?? null}
            onPick={address.pick}
            pickedId={scene?.id ?? null}
          />
        }
        desk={
          search.searching ? (
            <ArchiveDesk
              study={study}
              found={search.found}
              onFound={search.setFound}
              pointed={search.pointed}
              onPoint={search.setPointed}
              onClose={search.end}
            />
          ) : (
            <>
              <StudyAreaSection
                study={study}
                drawing={drawing}
                onDraw={() => {
                  setDrawing(!drawing);
                  spots.setSpot(null);
                }}
                onEdit={() => setEditing(true)}
                onUndo={area.undo}
              />
              <ScenesSection
                study={study}
                scenes={scenes}
                listed={listed}
                filter={filter}
                onFilter={setFilter}
                pickedId={scene?.id ?? null}
                onPick={address.pick}
                onFiles={take}
                onChoose={drop.open}
                onSearch={search.begin}
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
          )
        }
      />
      {drop.isDragActive && (
        <div className="pointer-events-none fixed inset-0 z-40 flex items-center justify-center bg-night/60 text-[20px] font-semibold text-white">
          Drop the files to add them to “{study.name}”
        </div>
      )}
      <StudyDialog
        open={editing}
        onOpenChange={setEditing}
        study={study}
        onDone={() => useUi.getState().say("The study is saved.")}
      />
    </div>
  );
}
