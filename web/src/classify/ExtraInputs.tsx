import { useState } from "react";
import { X } from "lucide-react";
import {
  type ExtraInput,
  TERRAINS,
  TEXTURE_WINDOWS,
  extraName,
} from "@hindglance/core/classify/extraInputs";
import { usableBands } from "@hindglance/core/classify/inputs";
import { TEXTURES, type Texture } from "@hindglance/core/classify/texture";
import { useScenes, useSides } from "../api/hooks";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Pick } from "../ui/Pick";
import { withExtra, withoutExtra } from "./changes";
import type { Classify } from "./useClassify";

const TEXTURE_NAMES: Record<Texture, string> = {
  mean: "local mean",
  deviation: "local deviation",
  contrast: "contrast",
  homogeneity: "homogeneity",
  energy: "energy",
  entropy: "entropy",
  correlation: "correlation",
};

interface Props {
  studyId: string;
  classify: Classify;
  /** Bands that every date has. */
  bands: readonly string[];
}

/** What classes are told by besides the bands of a date: the land, texture, other scenes. */
export function ExtraInputs({ studyId, classify, bands }: Props) {
  const { settings, change } = classify;
  const extras = settings.extras ?? [];
  const scenes = useScenes(studyId).data ?? [];
  const hasElevation = scenes.some(({ kind, imageId }) => kind === "elevation" && imageId);
  const names = new Set(extras.map(extraName));
  const add = (extra: ExtraInput) => change(withExtra(extra));
  const drop = (extra: ExtraInput) => change(withoutExtra(extra));
  return (
    <>
      <h3 className="mt-2 border-t border-line pt-2 font-semibold">Besides</h3>
      {hasElevation ? (
        TERRAINS.map((of) => (
          <label key={of} className="flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              checked={names.has(of)}
              onChange={() =>
                names.has(of) ? drop({ kind: "terrain", of }) : add({ kind: "terrain", of })
              }
            />
            {of}
          </label>
        ))
      ) : (
        <p className="text-label text-soft">Elevation and slope: add elevation in Scenes.</p>
      )}
      <AddTexture bands={bands} onAdd={add} />
      <AddScene studyId={studyId} onAdd={add} />
      <ul aria-label="Inputs besides the bands">
        {extras
          .filter(({ kind }) => kind !== "terrain")
          .map((extra) => (
            <li key={extraName(extra)} className="flex items-center justify-between py-0.5">
              {extraName(extra)}
              <button
                type="button"
                aria-label={`Take away ${extraName(extra)}`}
                className="text-soft"
                onClick={() => drop(extra)}
              >
                <X size={14} aria-hidden />
              </button>
            </li>
          ))}
      </ul>
      <h3 className="mb-1 mt-2 border-t border-line pt-2 font-semibold">
        Where an input is missing
      </h3>
      <Choice
        label="Where an input is missing"
        className="text-[12px]"
        value={settings.missing ?? "leaveOut"}
        onChange={(missing) => change((old) => ({ ...old, missing }))}
        options={[
          { value: "leaveOut", name: "No class" },
          { value: "fill", name: "Its mean", hint: "The mean of that input over the date" },
        ]}
      />
    </>
  );
}

/** A texture of a band. */
function AddTexture({
  bands,
  onAdd,
}: {
  bands: readonly string[];
  onAdd(extra: ExtraInput): void;
}) {
  const [band, setBand] = useState(bands[0] ?? "");
  const [texture, setTexture] = useState<Texture>("deviation");
  const [windowCells, setWindow] = useState("5");
  return (
    <div className="mt-1.5">
      <span className="text-soft">Texture</span>
      <div className="grid grid-cols-[1fr_1.3fr] gap-1.5">
        <Pick
          label="Band of the texture"
          value={band}
          onChange={setBand}
          options={bands.map((one) => ({ value: one, name: one }))}
        />
        <Pick<Texture>
          label="Figure of the texture"
          value={texture}
          onChange={setTexture}
          options={TEXTURES.map((one) => ({ value: one, name: TEXTURE_NAMES[one] }))}
        />
        <Pick
          label="Window of the texture"
          value={windowCells}
          onChange={setWindow}
          options={TEXTURE_WINDOWS.map((one) => ({ value: String(one), name: `${one} × ${one}` }))}
        />
        <Button
          disabled={!band}
          onClick={() =>
            onAdd({ kind: "texture", band, texture, windowCells: Number(windowCells) })
          }
        >
          Add texture
        </Button>
      </div>
    </div>
  );
}

/** A band of another scene: radar power of a date, statistics over time. */
function AddScene({ studyId, onAdd }: { studyId: string; onAdd(extra: ExtraInput): void }) {
  const scenes = useScenes(studyId).data ?? [];
  const sides = (useSides(studyId).data ?? []).filter(({ info, problem }) => info && !problem);
  const [sceneId, setScene] = useState("");
  const bands = usableBands(sides.find((side) => side.sceneId === sceneId)?.info?.bands ?? []);
  const [band, setBand] = useState("");
  const nameOf = (id: string) => scenes.find((scene) => scene.id === id)?.name ?? "";
  const isThere = bands.some(({ name }) => name === band);
  return (
    <div className="mt-1.5">
      <span className="text-soft">Band of one scene, for every date</span>
      <Pick
        label="Scene of the band"
        value={sceneId}
        onChange={setScene}
        options={sides.map((side) => ({ value: side.sceneId, name: nameOf(side.sceneId) }))}
      />
      <div className="mt-1.5 grid grid-cols-[1fr_1.3fr] gap-1.5">
        <Pick
          label="Band of the scene"
          value={isThere ? band : ""}
          onChange={setBand}
          options={bands.map(({ name }) => ({ value: name, name }))}
        />
        <Button
          disabled={!isThere}
          onClick={() =>
            onAdd({
              ...{ kind: "scene", sceneId, band },
              name: `${band} of ${nameOf(sceneId)}`.slice(0, 120),
            })
          }
        >
          Add band
        </Button>
      </div>
    </div>
  );
}
