import type { ImageFile } from "@hindglance/contract/imageFiles";
import { Download, Trash2 } from "lucide-react";
import { type ReactNode, useState } from "react";
import { useScenes } from "../../api/hooks";
import type { Run, Scene, Study } from "../../api/types";
import { Section } from "../../frame/Section";
import { bytes, dayYear } from "../../lib/format";
import { Bar } from "../../ui/Bar";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Labelled, inputStyle } from "../../ui/Labelled";
import { ReportRoom } from "../ReportRoom";
import { download } from "../useFile";
import {
  type ImageSettings,
  askFor,
  codeProblem,
  sizeProblem,
  takeable,
  useImageFiles,
} from "./useImageFiles";

const FIRST: ImageSettings = { of: "compared", epsg: "", cellSize: "", asDecibel: true };

interface SettingsProps {
  settings: ImageSettings;
  set(settings: ImageSettings): void;
}

/** Which image is taken, in which system and cell size. */
function Settings({ settings, set }: SettingsProps) {
  const { of, epsg, cellSize, asDecibel } = settings;
  return (
    <>
      <Choice
        label="Which image"
        className="mb-1 w-full"
        value={of}
        onChange={(next) => set({ ...settings, of: next })}
        options={[
          { value: "compared", name: "As compared" },
          { value: "stored", name: "As taken in" },
        ]}
      />
      <p className="mb-3 text-label text-soft">
        {of === "compared"
          ? "Prepared, aligned and levelled, as maps are made from it."
          : "As it came, or as it was computed here."}
      </p>
      <Typed
        label="System, EPSG code"
        hint="Empty: its own"
        value={epsg}
        problem={codeProblem(epsg)}
        onType={(next) => set({ ...settings, epsg: next })}
      />
      <Typed
        label="Cell size, in units of the system"
        hint="Empty: about its own"
        value={cellSize}
        problem={sizeProblem(cellSize)}
        onType={(next) => set({ ...settings, cellSize: next })}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="h-4 w-4 accent-spruce"
          checked={asDecibel}
          onChange={(event) => set({ ...settings, asDecibel: event.target.checked })}
        />
        Power in decibels
      </label>
    </>
  );
}

interface TypedProps {
  label: string;
  hint: string;
  value: string;
  problem: string | null;
  onType(text: string): void;
}

const Typed = ({ label, hint, value, problem, onType }: TypedProps) => (
  <Labelled label={label} hint={hint} {...(problem ? { error: problem } : {})}>
    {(id) => (
      <input
        id={id}
        className={inputStyle}
        inputMode="decimal"
        value={value}
        onChange={(event) => onType(event.target.value)}
      />
    )}
  </Labelled>
);

function FileLine({ file, onDelete }: { file: ImageFile; onDelete(): void }) {
  return (
    <li className="flex items-center gap-2 text-label">
      <span className="min-w-0 flex-1 truncate text-soft" title={file.name}>
        {file.grid} · {bytes(file.size)}
      </span>
      <Button
        tone="quiet"
        className="h-7 px-1.5"
        aria-label={`Download ${file.name}`}
        onClick={() => download(file)}
      >
        <Download size={14} aria-hidden />
        Download
      </Button>
      <Button
        tone="quiet"
        className="h-7 px-1.5"
        aria-label={`Delete ${file.name}`}
        onClick={onDelete}
      >
        <Trash2 size={14} aria-hidden />
      </Button>
    </li>
  );
}

interface CardProps {
  scene: Scene;
  files: ImageFile[];
  running: Run[];
  canMake: boolean;
  onMake(): void;
  onDelete(id: string): void;
}

/** A scene, its files, and what makes another one. */
function SceneCard({ scene, files, running, canMake, onMake, onDelete }: CardProps) {
  const { name, acquiredAt } = scene;
  const said = [acquiredAt ? dayYear(acquiredAt) : "no date", scene.kind].join(" · ");
  return (
    <li className="rounded-card border border-line bg-paper px-3 py-2">
      <div className="flex items-center gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="truncate text-[13.5px] leading-5" title={name}>
            {name}
          </h2>
          <p className="text-label text-soft">{said}</p>
        </div>
        <Button disabled={!canMake} aria-label={`Make a file of ${name}`} onClick={onMake}>
          Make
        </Button>
      </div>
      {running.map((run) => (
        <div key={run.id} className="pt-1.5">
          <Bar share={run.progress} label={run.title} />
        </div>
      ))}
      {files.length > 0 && (
        <ul className="mt-1.5 space-y-0.5 border-t border-line pt-1">
          {files.map((file) => (
            <FileLine key={file.id} file={file} onDelete={() => onDelete(file.id)} />
          ))}
        </ul>
      )}
    </li>
  );
}

interface Props {
  study: Study;
  head: ReactNode;
  strip: ReactNode;
}

/** Images of a study as files: dates, statistics over time, elevation, in the system and cell size wanted. */
export function ImagesRoom({ study, head, strip }: Props) {
  const [settings, set] = useState(FIRST);
  const scenes = takeable(useScenes(study.id).data ?? [], settings.of);
  const { files, runningFor, make, isAsking, remove } = useImageFiles(study.id);
  const canMake = askFor("", settings) !== null;
  const makeOf = (some: readonly Scene[]) =>
    some.forEach(({ id }) => {
      const ask = askFor(id, settings);
      if (ask) {
        make(ask);
      }
    });
  return (
    <ReportRoom
      {...{ head, strip }}
      desk={
        <Section title="How images are taken">
          <Settings settings={settings} set={set} />
        </Section>
      }
      footer={
        <div className="flex items-center justify-between">
          <span className="text-soft">
            {files ? `${files.length} ${files.length === 1 ? "file" : "files"}` : ""}
          </span>
          <Button
            tone="act"
            disabled={!canMake || scenes.length === 0 || isAsking}
            onClick={() => makeOf(scenes)}
          >
            Make all {scenes.length}
          </Button>
        </div>
      }
    >
      {scenes.length === 0 && (
        <p className="text-soft">
          No image of this study can be taken so. Import scenes, or prepare them first.
        </p>
      )}
      <ul className="grid grid-cols-2 items-start gap-2" aria-label="Images">
        {scenes.map((scene) => (
          <SceneCard
            key={scene.id}
            scene={scene}
            files={(files ?? []).filter(({ sceneId }) => sceneId === scene.id)}
            running={runningFor(scene.id)}
            canMake={canMake}
            onMake={() => makeOf([scene])}
            onDelete={remove}
          />
        ))}
      </ul>
    </ReportRoom>
  );
}
