import { useMemo, useState } from "react";
import { useOutletContext } from "react-router";
import { useQueryClient } from "@tanstack/react-query";
import { useDropzone } from "react-dropzone";
import { useScenes } from "../api/hooks";
import type { AreaGeometry, Study } from "../api/types";
import { Workspace } from "../frame/Workspace";
import { TimeStrip } from "../frame/strip/TimeStrip";
import { useUi } from "../state/ui";
import { StudyDialog } from "../studies/StudyDialog";
import { ArchiveDesk } from "./archive/ArchiveDesk";
import { useArchiveSearch } from "./archive/useArchiveSearch";
import { byFolder } from "./files";
import { NO_FILTER, type SceneFilter, filtered } from "./filters";
import { ScenesDesk } from "./ScenesDesk";
import { ScenesPicture } from "./ScenesPicture";
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

/** What is drawn, edited and shown on the page itself. */
function useModes(study: Study, spots: ReturnType<typeof useSpots>) {
  const area = useStudyArea(study);
  const [drawing, setDrawing] = useState(false);
  const [editing, setEditing] = useState(false);
  const [places, setPlaces] = useState(false);
  return {
    drawing,
    editing,
    setEditing,
    places,
    setPlaces,
    undoArea: area.undo,
    turnDrawing: () => {
      setDrawing(!drawing);
      spots.setSpot(null);
    },
    stopDrawing: () => setDrawing(false),
    setArea: (geometry: AreaGeometry) => area.set(geometry, () => setDrawing(false)),
  };
}

/** Scenes: what there is of a place, looked at before it is worked with. */
export function ScenesPage() {
  const study = useOutletContext<Study>();
  const scenes = useScenes(study.id).data;
  const address = useSceneAddress(scenes);
  const search = useArchiveSearch(study.id);
  const spots = useSpots(study.id, scenes);
  const modes = useModes(study, spots);
  const [filter, setFilter] = useState<SceneFilter>(NO_FILTER);
  const listed = useMemo(() => filtered(scenes ?? [], filter), [scenes, filter]);
  const take = useTakeFiles(study.id);
  const drop = useDropzone({ onDrop: take, noClick: true, noKeyboard: true });
  const { drawing } = modes;
  return (
    <div {...drop.getRootProps({ className: "flex min-h-0 flex-1" })}>
      <input {...drop.getInputProps()} aria-label="Files" />
      <Workspace
        label="Scenes"
        picture={
          <ScenesPicture
            {...{ study, scenes, listed, address, search, spots, drawing }}
            places={modes.places}
            onPlaces={modes.setPlaces}
            onDrawn={modes.setArea}
            onStopDrawing={modes.stopDrawing}
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
            pickedId={address.scene?.id ?? null}
          />
        }
        desk={
          search.open ? (
            <ArchiveDesk studyId={study.id} search={search} />
          ) : (
            <ScenesDesk
              {...{ study, scenes, listed, filter, address, spots, drawing }}
              onFilter={setFilter}
              onDraw={modes.turnDrawing}
              onEdit={() => modes.setEditing(true)}
              onUndo={modes.undoArea}
              onFiles={take}
              onChoose={drop.open}
              onSearch={search.begin}
            />
          )
        }
      />
      {drop.isDragActive && <DropHere name={study.name} />}
      <StudyDialog
        open={modes.editing}
        onOpenChange={modes.setEditing}
        study={study}
        onDone={() => useUi.getState().say("The study is saved.")}
      />
    </div>
  );
}

const DropHere = ({ name }: { name: string }) => (
  <div className="pointer-events-none fixed inset-0 z-40 flex items-center justify-center bg-night/60 text-[20px] font-semibold text-white">
    Drop the files to add them to “{name}”
  </div>
);
