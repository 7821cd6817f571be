import { useState } from "react";
import type { Exposure, ExposureAsk } from "@hindglance/contract/exposure";
import { useOverlays, useScenes } from "../api/hooks";
import type { ChangeMap, Scene, Study } from "../api/types";
import { Section } from "../frame/Section";
import { waterClasses } from "../tally/depth";
import { Button } from "../ui/Button";
import { Chip } from "../ui/Chip";
import { Labelled } from "../ui/Labelled";
import { Pick } from "../ui/Pick";
import { useCount } from "./useExposure";

const NONE = "none";
/** Names of layers that are taken for roads until somebody says otherwise. */
const ROADS = /road|street|rail|track|path/i;

const toggled = <T,>(all: readonly T[], one: T): T[] =>
  all.includes(one) ? all.filter((other) => other !== one) : [...all, one];

interface Props {
  study: Study;
  map: ChangeMap;
  /** As it was counted last. */
  exposure: Exposure | null;
}

/** What can be counted of a study: population grids, classified rasters, layers of features. */
function useCountable(study: Study) {
  const scenes = useScenes(study.id).data;
  const overlays = useOverlays(study.id).data;
  const ready = (kind: string) =>
    (scenes ?? []).filter((scene) => scene.kind === kind && scene.imageId);
  return scenes && overlays
    ? { people: ready("population"), covers: ready("classes"), overlays }
    : null;
}

/** What is counted under the classes of a map, and counting it. */
export function Asking(props: Props) {
  const countable = useCountable(props.study);
  return countable ? <Asked {...props} {...countable} /> : null;
}

interface AskedProps extends Props {
  people: Scene[];
  covers: Scene[];
  overlays: NonNullable<ReturnType<typeof useOverlays>["data"]>;
}

/** The id of a scene, where it is still there. */
const idAmong = (scenes: readonly Scene[], id: string | undefined): string | null =>
  scenes.find((scene) => scene.id === id)?.id ?? null;

/** What was counted last, or what a study offers where nothing was. */
function firstAsk({ map, exposure, people, covers, overlays }: AskedProps): ExposureAsk {
  if (exposure) {
    const there = exposure.layers.filter(({ overlayId }) =>
      overlays.some(({ id }) => id === overlayId),
    );
    return {
      populationId: idAmong(people, exposure.people?.sceneId),
      coverId: idAmong(covers, exposure.cover?.sceneId),
      overlayIds: there.map(({ overlayId }) => overlayId),
      roadIds: there.filter(({ isRoads }) => isRoads).map(({ overlayId }) => overlayId),
      flooded: exposure.flooded,
    };
  }
  return {
    populationId: people[0]?.id ?? null,
    coverId: covers[0]?.id ?? null,
    overlayIds: overlays.map(({ id }) => id),
    roadIds: overlays.filter(({ name }) => ROADS.test(name)).map(({ id }) => id),
    flooded: waterClasses(map).flooded,
  };
}

function Asked(props: AskedProps) {
  const { map, people, covers, overlays } = props;
  const [ask, setAsk] = useState(() => firstAsk(props));
  const { count, isBusy } = useCount(map);
  const set = (part: Partial<ExposureAsk>) => setAsk({ ...ask, ...part });
  const isEmpty = !ask.populationId && !ask.coverId && ask.overlayIds.length === 0;
  return (
    <>
      <Section title="What is counted">
        <ScenePick
          label="People, by a population grid"
          among={people}
          value={ask.populationId}
          onPick={(populationId) => set({ populationId })}
        />
        <ScenePick
          label="Land cover"
          among={covers}
          value={ask.coverId}
          onPick={(coverId) => set({ coverId })}
        />
        <p className="mb-1 font-semibold">Assets and roads</p>
        {overlays.length === 0 ? (
          <p className="text-soft">
            Bring layers of points, lines or areas into Scenes, to lie over the maps.
          </p>
        ) : (
          <LayerChoice overlays={overlays} ask={ask} set={set} />
        )}
      </Section>
      <Section title="Classes on which roads are cut">
        <div className="flex flex-wrap gap-1.5">
          {(map.info.classes ?? []).map(({ label, name }) => (
            <Chip
              key={label}
              on={ask.flooded.includes(label)}
              aria-pressed={ask.flooded.includes(label)}
              onClick={() => set({ flooded: toggled(ask.flooded, label) })}
            >
              {name}
            </Chip>
          ))}
        </div>
        <div className="mt-3 flex items-center gap-3">
          <Button tone="act" disabled={isEmpty || isBusy} onClick={() => count(ask)}>
            {isBusy ? "Counting …" : "Count"}
          </Button>
          <span className="text-label text-soft">
            {map.depth
              ? "Depths are those that Tally measured."
              : "Measure the depth in Change map first to have it here."}
          </span>
        </div>
      </Section>
    </>
  );
}

interface ScenePickProps {
  label: string;
  among: readonly Scene[];
  value: string | null;
  onPick(id: string | null): void;
}

/** One of the scenes of a kind, or none. */
const ScenePick = ({ label, among, value, onPick }: ScenePickProps) => (
  <Labelled label={label}>
    {(id) => (
      <Pick
        id={id}
        label={label}
        value={value ?? NONE}
        onChange={(next) => onPick(next === NONE ? null : next)}
        options={[
          ...among.map((scene) => ({ value: scene.id, name: scene.name })),
          { value: NONE, name: among.length > 0 ? "not counted" : "none in the study" },
        ]}
      />
    )}
  </Labelled>
);

interface LayerChoiceProps {
  overlays: AskedProps["overlays"];
  ask: ExposureAsk;
  set(part: Partial<ExposureAsk>): void;
}

/** Which layers are counted, and which of them are roads. */
const LayerChoice = ({ overlays, ask, set }: LayerChoiceProps) => (
  <ul className="space-y-1" aria-label="Layers">
    {overlays.map(({ id, name, features }) => (
      <li key={id} className="flex items-center gap-2">
        <label className="flex min-w-0 flex-1 items-center gap-2">
          <input
            type="checkbox"
            checked={ask.overlayIds.includes(id)}
            onChange={() =>
              set({
                overlayIds: toggled(ask.overlayIds, id),
                roadIds: ask.roadIds.filter((road) => road !== id),
              })
            }
          />
          <span className="truncate">{name}</span>
          <span className="text-label text-soft">{features}</span>
        </label>
        <Chip
          on={ask.roadIds.includes(id)}
          aria-pressed={ask.roadIds.includes(id)}
          disabled={!ask.overlayIds.includes(id)}
          title="Its lines are roads: where they are cut is found"
          onClick={() => set({ roadIds: toggled(ask.roadIds, id) })}
        >
          roads
        </Chip>
      </li>
    ))}
  </ul>
);
