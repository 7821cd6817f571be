import { useCallback, useMemo, useRef, useState } from "react";
import { useOutletContext } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useDropzone } from "react-dropzone";
import { FilePlus2, FolderPlus, Pencil, Search, X } from "lucide-react";
import { api, sayError } from "../api/client";
import {
  keys,
  useRuns,
  useSceneNode,
  useScenes,
  useSides,
  useUpdateStudy,
  useZones,
} from "../api/hooks";
import type { Study } from "../api/types";
import { Section, Workspace } from "../frame/Frame";
import { TimeStrip } from "../frame/TimeStrip";
import { bytes, dayYear, number } from "../lib/format";
import { PinList } from "../pins/PinList";
import { usePins, useValues } from "../pins/pins";
import { type Pin, type Place, pinState } from "../pins/values";
import { SpotCard } from "../pins/SpotCard";
import { useUi } from "../state/ui";
import { Bar, Button, Problem, cx } from "../ui/controls";
import { StudyDialog } from "../studies/StudyDialog";
import { ArchiveDesk } from "./ArchiveDesk";
import type { Found } from "./archive";
import { SceneCard } from "./SceneCard";
import { type PlaceMark, ScenePicture } from "./ScenePicture";
import { FilterBar } from "./FilterBar";
import { NO_FILTER, type SceneFilter, filtered } from "./filters";
import { PlacesMap } from "./PlacesMap";
import { type Display, firstDisplay } from "./display";
import { byFolder } from "./files";
import { UploadCards } from "./UploadCards";
import { useSending } from "./uploads";

const NONE: Found[] = [];
const NO_PINS: Pin[] = [];

export function ScenesPage() {
  const study = useOutletContext<Study>();
  const queryClient = useQueryClient();
  const scenes = useScenes(study.id).data;
  const zones = useZones(study.id).data ?? [];
  const runs = useRuns().data ?? [];
  const all = useSending((queue) => queue.items);
  const sending = useMemo(() => all.filter((s) => s.studyId === study.id), [all, study.id]);
  const [picked, setPicked] = useState<string | null>(null);
  const [displays, setDisplays] = useState<Record<string, Display>>({});
  const [drawing, setDrawing] = useState(false);
  const [editing, setEditing] = useState(false);
  const [filter, setFilter] = useState<SceneFilter>(NO_FILTER);
  const [places, setPlaces] = useState(false);
  const [searching, setSearching] = useState(false);
  const [found, setFound] = useState<Found[]>([]);
  const [pointed, setPointed] = useState<string | null>(null);
  const scene = scenes?.find((s) => s.id === picked) ?? scenes?.find((s) => s.imageId) ?? null;
  const display = scene ? (displays[scene.id] ?? firstDisplay(scene)) : null;
  const node = useSceneNode(scene?.imageId ? scene : null).data ?? null;
  // Outlines are drawn on the map: on the picture where it lies there, else on the footprints.
  const onlySensor = !!scene?.info?.sensor;
  const listed = useMemo(() => filtered(scenes ?? [], filter), [scenes, filter]);
  const drop = useDropzone({ onDrop: (files) => take(files), noClick: true, noKeyboard: true });
  const take = (files: File[]) => {
    for (const [root, list] of byFolder(files)) {
      if (root) {
        useSending.getState().addFolder(queryClient, study.id, list);
      } else {
        useSending.getState().add(queryClient, study.id, list);
      }
    }
  };
  const folder = useRef<HTMLInputElement>(null);
  const [spot, setSpot] = useState<{ place: Place; pin: string | null } | null>(null);
  const pins = usePins(study.id).data ?? NO_PINS;
  const sides = useSides(study.id).data;
  // Values may change with the chain, with scenes and with elevation.
  const version = `${sides?.map((side) => side.hash).join() ?? ""}.${scenes?.map((s) => s.imageId).join() ?? ""}`;
  const pinPlaces = useMemo(() => pins.map((pin): Place => [pin.lon, pin.lat]), [pins]);
  const pinValues = useValues(study.id, pinPlaces, 3, version).data;
  const marks = useMemo(
    (): PlaceMark[] => [
      ...pins.map((pin, i) => ({
        place: [pin.lon, pin.lat] as Place,
        height: pinValues?.heights[i] ?? 0,
        name: pin.name,
        state: pinState(pin, i, pinValues).state,
      })),
      ...(spot && !spot.pin
        ? [{ place: spot.place, height: 0, name: "", state: "spot" as const }]
        : []),
    ],
    [pins, pinValues, spot],
  );
  const lookAt = useCallback((place: Place) => setSpot({ place, pin: null }), []);
  const update = useUpdateStudy(study.id);
  const removeZones = useMutation({
    mutationFn: (id: string) => api("DELETE", `/zones/${id}`),
    onSuccess: () => void queryClient.invalidateQueries({ queryKey: keys.zones(study.id) }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const setArea = (geometry: object) =>
    update.mutate(
      { studyArea: geometry as Study["studyArea"] },
      {
        onSuccess: () => {
          useUi.getState().say("The study area is set.");
          setDrawing(false);
        },
        onError: (error) => useUi.getState().say(sayError(error), "wrong"),
      },
    );

  return (
    <div {...drop.getRootProps({ className: "flex min-h-0 flex-1" })}>
      <input {...drop.getInputProps()} aria-label="Files" />
      <Workspace
        label="Scenes"
        picture={
          <>
            {scenes && scenes.length > 0 && !drawing && !searching && (
              <div
                role="radiogroup"
                aria-label="What the picture shows"
                className="absolute left-1/2 top-3 z-10 flex -translate-x-1/2 overflow-hidden rounded-card bg-night/85 p-1"
              >
                {(
                  [
                    [false, "Scene"],
                    [true, "Footprints"],
                  ] as const
                ).map(([value, name]) => (
                  <button
                    key={name}
                    type="button"
                    role="radio"
                    aria-checked={places === value}
                    onClick={() => setPlaces(value)}
                    className={cx(
                      "rounded-field px-3 py-1 text-[12px] font-semibold",
                      places === value ? "bg-bone text-ink" : "text-[#dfe5e2] hover:text-white",
                    )}
                  >
                    {name}
                  </button>
                ))}
              </div>
            )}
            {(places || searching || (drawing && onlySensor)) && scenes ? (
              <PlacesMap
                study={study}
                scenes={listed}
                picked={scene}
                found={searching ? found : NONE}
                pointed={pointed}
                drawing={drawing}
                marks={marks}
                onDrawn={setArea}
                onStopDrawing={() => setDrawing(false)}
                onSpot={lookAt}
              />
            ) : scene && node && display ? (
              <ScenePicture
                key={node.hash}
                scene={scene}
                node={node}
                display={display}
                study={study}
                drawing={drawing}
                marks={marks}
                onDrawn={setArea}
                onStopDrawing={() => setDrawing(false)}
                onSpot={lookAt}
              />
            ) : (
              <EmptyPicture none={scenes?.length === 0} onAdd={drop.open} />
            )}
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
        }
        strip={
          <TimeStrip
            study={study}
            scenes={scenes ?? []}
            beforeId={study.compare?.beforeId ?? null}
            afterId={study.compare?.afterId ?? null}
            onPick={setPicked}
            pickedId={scene?.id ?? null}
          />
        }
        desk={
          searching ? (
            <ArchiveDesk
              study={study}
              found={found}
              onFound={setFound}
              pointed={pointed}
              onPoint={setPointed}
              onClose={() => {
                setSearching(false);
                setFound([]);
              }}
            />
          ) : (
            <>
              <Section
                title="Study area"
                right={
                  <span className="flex gap-1">
                    <Button
                      tone="quiet"
                      className="h-6 px-2"
                      disabled={!scenes?.length}
                      onClick={() => {
                        setDrawing(!drawing);
                        setSpot(null);
                      }}
                    >
                      {drawing ? "Stop drawing" : study.studyArea ? "Draw anew" : "Draw"}
                    </Button>
                    <Button tone="quiet" className="h-6 px-2" onClick={() => setEditing(true)}>
                      <Pencil size={13} aria-hidden />
                      Study
                    </Button>
                  </span>
                }
              >
                <p className="text-soft">
                  {drawing
                    ? "Click the corners on the map; double-click ends the outline."
                    : study.studyArea
                      ? "Everything is counted inside the white outline."
                      : "None yet: everything that both dates show would be counted."}
                </p>
              </Section>
              <Section
                title={`Scenes${scenes?.length ? ` · ${scenes.length}` : ""}`}
                right={
                  <span className="flex gap-1.5">
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
                      onClick={() => setSearching(true)}
                    >
                      <Search size={14} aria-hidden />
                      Archive
                    </Button>
                    <Button
                      tone={scenes?.length ? "plain" : "act"}
                      className="h-7"
                      onClick={drop.open}
                    >
                      <FilePlus2 size={14} aria-hidden />
                      Add files
                    </Button>
                  </span>
                }
              >
                <input
                  ref={folder}
                  type="file"
                  aria-label="Product folder"
                  className="hidden"
                  multiple
                  {...({ webkitdirectory: "" } as object)}
                  onChange={(e) => {
                    take([...(e.target.files ?? [])]);
                    e.target.value = "";
                  }}
                />
                {sending.map((s) => (
                  <div key={s.id} className="mb-2">
                    {s.error ? (
                      <Problem>
                        <span className="flex items-start gap-2">
                          <span className="flex-1">{s.error}</span>
                          <button
                            type="button"
                            aria-label="Dismiss"
                            onClick={() => useSending.getState().dismiss(s.id)}
                          >
                            <X size={14} aria-hidden />
                          </button>
                        </span>
                      </Problem>
                    ) : (
                      <>
                        <div className="flex justify-between gap-2">
                          <span className="truncate">{s.name}</span>
                          <span className="flex shrink-0 items-center gap-1 text-label text-soft">
                            {s.share < 1
                              ? `${number(s.share * 100)} % of ${bytes(s.size)}`
                              : "being looked at"}
                            <button
                              type="button"
                              aria-label={`Stop sending ${s.name}`}
                              onClick={() => useSending.getState().cancel(s.id)}
                            >
                              <X size={13} aria-hidden />
                            </button>
                          </span>
                        </div>
                        <Bar share={s.share} label={`Sending ${s.name}`} />
                      </>
                    )}
                  </div>
                ))}
                <UploadCards studyId={study.id} />
                {scenes?.length === 0 && sending.length === 0 && (
                  <p className="text-soft">
                    Drop files anywhere on this page: radar products as they come (.zip or folder)
                    with their orbit files (.EOF), or GeoTIFFs that are calibrated already;
                    elevation; GeoJSON polygons for zones.
                  </p>
                )}
                {scenes && scenes.length > 2 && (
                  <FilterBar
                    scenes={scenes}
                    filter={filter}
                    shown={listed.length}
                    onFilter={setFilter}
                  />
                )}
                <ul
                  className="-mx-2 max-h-[286px] overflow-y-auto"
                  aria-label="Scenes"
                  tabIndex={-1}
                >
                  {listed.map((s) => {
                    const run = runs.find((r) => r.id === s.runId && r.state === "running");
                    let side: "before" | "after" | null;
                    if (s.id === study.compare?.beforeId) {
                      side = "before";
                    } else if (s.id === study.compare?.afterId) {
                      side = "after";
                    } else {
                      side = null;
                    }
                    return (
                      <li key={s.id}>
                        <button
                          type="button"
                          aria-current={s.id === scene?.id}
                          onClick={() => setPicked(s.id)}
                          className={cx(
                            "flex w-full items-center gap-2.5 rounded-field px-2 py-1.5 text-left",
                            s.id === scene?.id ? "bg-bone" : "hover:bg-bone/60",
                          )}
                        >
                          <span
                            aria-hidden
                            className={cx(
                              "h-2.5 w-2.5 shrink-0 border-[1.5px]",
                              s.kind === "radar" ? "rotate-45" : "rounded-full",
                              side === "before"
                                ? "border-before bg-before"
                                : side === "after"
                                  ? "border-after bg-after"
                                  : "border-ink",
                            )}
                          />
                          <span className="min-w-0 flex-1">
                            <span className="block truncate font-medium">{s.name}</span>
                            <span className="block text-label text-soft">
                              {s.acquiredAt ? dayYear(s.acquiredAt) : "no date"} ·{" "}
                              {s.imageId
                                ? s.kind === "optical"
                                  ? `${s.info!.bands.filter((band) => band.role !== "quality").length} bands`
                                  : s
                                      .info!.bands.map((band) => band.polarisation ?? band.name)
                                      .join(", ")
                                : run
                                  ? `${run.doing}, ${Math.round(run.progress * 100)} %`
                                  : "waiting"}
                              {side && (
                                <>
                                  {" "}
                                  ·{" "}
                                  <b
                                    className={
                                      side === "before" ? "text-beforeink" : "text-afterink"
                                    }
                                  >
                                    {side}
                                  </b>
                                </>
                              )}
                            </span>
                          </span>
                        </button>
                        {run && (
                          <div className="px-2 pb-1">
                            <Bar share={run.progress} label={`Importing ${s.name}`} />
                          </div>
                        )}
                      </li>
                    );
                  })}
                </ul>
                {zones.map((zone) => (
                  <div
                    key={zone.id}
                    className="mt-1 flex items-center justify-between gap-2 border-t border-line pt-2"
                  >
                    <span>
                      <span className="font-medium">{zone.name}</span>{" "}
                      <span className="text-label text-soft">
                        {zone.features.features.length} zones, named by “{zone.nameField}”
                      </span>
                    </span>
                    <button
                      type="button"
                      aria-label={`Remove zones ${zone.name}`}
                      className="text-soft hover:text-wrong"
                      onClick={() => removeZones.mutate(zone.id)}
                    >
                      <X size={14} aria-hidden />
                    </button>
                  </div>
                ))}
              </Section>
              {scenes && scenes.length > 0 && (
                <PinList
                  study={study}
                  scenes={scenes}
                  pins={pins}
                  values={pinValues}
                  pickedId={spot?.pin ?? null}
                  onPick={(pin) => setSpot({ place: [pin.lon, pin.lat], pin: pin.id })}
                />
              )}
              {scene?.imageId && display && (
                <SceneCard
                  study={study}
                  scenes={scenes ?? []}
                  scene={scene}
                  display={display}
                  onDisplay={(eachDisplay) => setDisplays({ ...displays, [scene.id]: eachDisplay })}
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
