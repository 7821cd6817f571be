import { useMemo, useRef } from "react";
import { FilePlus2, FolderPlus, Search } from "lucide-react";
import { useRuns } from "../api/hooks";
import type { Scene, Study } from "../api/types";
import { Section } from "../frame/Section";
import { Button } from "../ui/Button";
import { ArrivingCards } from "./ArrivingCards";
import { FilterBar } from "./FilterBar";
import { OrbitList } from "./OrbitList";
import { OverlayList } from "./OverlayList";
import { SceneList } from "./SceneList";
import { SendingList } from "./SendingList";
import { UploadCards } from "./UploadCards";
import { ZoneList } from "./ZoneList";
import { apart } from "./apart";
import type { SceneFilter } from "./filters";
import { useSending } from "./uploads";

interface Adding {
  onFiles(files: File[]): void;
  onChoose(): void;
  onSearch(): void;
}

/** The ways in which scenes come: files, a folder, the archive. */
function AddButtons({ any, onFiles, onChoose, onSearch }: Adding & { any: boolean }) {
  const folder = useRef<HTMLInputElement>(null);
  return (
    <span className="flex gap-1.5">
      <input
        ref={folder}
        type="file"
        aria-label="Product folder"
        className="hidden"
        multiple
        {...{ webkitdirectory: "" }}
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <Button
        tone="quiet"
        className="h-7 px-2"
        aria-label="Add a product folder"
        title="Add a product that was unpacked: pick its folder"
        onClick={() => folder.current?.click()}
      >
        <FolderPlus size={15} aria-hidden />
      </Button>
      <Button
        tone="quiet"
        className="h-7 px-2"
        title="Search and fetch from the archive"
        onClick={onSearch}
      >
        <Search size={14} aria-hidden />
        Archive
      </Button>
      <Button tone={any ? "plain" : "act"} className="h-7" onClick={onChoose}>
        <FilePlus2 size={14} aria-hidden />
        Add files
      </Button>
    </span>
  );
}

/** The scenes of a study, what is on its way to be one, and the zones. */
export function ScenesSection({
  study,
  scenes,
  listed,
  filter,
  onFilter,
  pickedId,
  onPick,
  ...adding
}: Adding & {
  study: Study;
  scenes: Scene[] | undefined;
  listed: Scene[];
  filter: SceneFilter;
  onFilter(filter: SceneFilter): void;
  pickedId: string | null;
  onPick(id: string): void;
}) {
  const runs = useRuns().data ?? [];
  const all = useSending((queue) => queue.items);
  const sending = all.filter((item) => item.studyId === study.id);
  const tags = useMemo(() => apart(scenes ?? []), [scenes]);
  return (
    <Section
      title={`Scenes${scenes?.length ? ` · ${scenes.length}` : ""}`}
      right={<AddButtons any={!!scenes?.length} {...adding} />}
    >
      <SendingList sending={sending} />
      <ArrivingCards studyId={study.id} onChoose={adding.onChoose} />
      <UploadCards studyId={study.id} />
      {scenes?.length === 0 && sending.length === 0 && (
        <p className="text-soft">
          Drop files anywhere on this page: radar products as they come (.zip or folder) with their
          orbit files (.EOF), or GeoTIFFs that are calibrated already; elevation; zones, the study
          area or an overlay as GeoJSON, Shapefile, KML, GeoPackage, FlatGeobuf or CSV.
        </p>
      )}
      {scenes && scenes.length > 2 && (
        <FilterBar scenes={scenes} filter={filter} shown={listed.length} onFilter={onFilter} />
      )}
      <SceneList
        study={study}
        scenes={listed}
        runs={runs}
        tags={tags}
        pickedId={pickedId}
        onPick={onPick}
      />
      <OrbitList studyId={study.id} />
      <ZoneList studyId={study.id} />
      <OverlayList studyId={study.id} />
    </Section>
  );
}
