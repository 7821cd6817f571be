import { useState } from "react";
import { Section } from "../frame/Section";
import type { TrainingArea } from "@hindglance/core/classify/settings";
import { Button } from "../ui/Button";
import type { Drawing } from "../map/useDraw";
import { Pick as Choose } from "../ui/Pick";
import { withAreas, withoutArea } from "./changes";
import type { Classify } from "./useClassify";

interface Props {
  classify: Classify;
  active: number | null;
  drawing: Drawing | false;
  onDraw(drawing: Drawing | false): void;
  picked: string | null;
  onPicked(area: string | null): void;
  sceneId: string;
}

/** Drawing areas of a class, and what is done to the one that is picked. */
export function AreaSection({ classify, active, drawing, onDraw, ...props }: Props) {
  const [how, setHow] = useState<Drawing>("polygon");
  const { settings, undo, redo } = classify;
  const { picked, onPicked, sceneId } = props;
  const one = settings.legend.find(({ label }) => label === active);
  const area = picked ? settings.areas[picked] : undefined;
  return (
    <Section
      title="Training areas"
      right={
        <span className="flex">
          <Button tone="quiet" className="h-6 px-1.5" disabled={!undo} onClick={() => undo?.()}>
            Undo
          </Button>
          <Button tone="quiet" className="h-6 px-1.5" disabled={!redo} onClick={() => redo?.()}>
            Redo
          </Button>
        </span>
      }
    >
      <div className="flex flex-wrap items-center gap-2">
        <Button
          disabled={!one}
          aria-pressed={!!drawing}
          onClick={() => onDraw(drawing ? false : how)}
          className={drawing ? "border-spruce" : undefined}
        >
          {drawing ? "Stop drawing" : `Draw ${one ? one.name.toLowerCase() : "an area"}`}
        </Button>
        <Choose<Drawing>
          label="How areas are drawn"
          className="w-[112px]"
          value={how}
          onChange={(next) => {
            setHow(next);
            onDraw(drawing && next);
          }}
          options={[
            { value: "polygon", name: "by corners" },
            { value: "rectangle", name: "rectangle" },
            { value: "freehand", name: "by hand" },
          ]}
        />
      </div>
      {area && picked ? (
        <PickedArea {...{ classify, area, picked, onPicked, sceneId }} />
      ) : (
        <p className="mt-2 text-soft">Click an area on the map to change or delete it.</p>
      )}
    </Section>
  );
}

interface PickedProps extends Pick<Props, "classify" | "onPicked" | "sceneId"> {
  area: TrainingArea;
  picked: string;
}

/** The class of an area, and the dates that it holds for. */
function PickedArea({ classify, area, picked, onPicked, sceneId }: PickedProps) {
  const { settings, change } = classify;
  const set = (part: Partial<TrainingArea>) =>
    change(withAreas({ [picked]: { ...area, ...part } }));
  return (
    <div className="mt-2 space-y-2">
      <div className="flex items-center gap-2">
        <span className="text-soft">Picked</span>
        <Choose
          label="Class of the picked area"
          value={String(area.label)}
          onChange={(label) => set({ label: Number(label) })}
          options={settings.legend.map(({ label, name }) => ({ value: String(label), name }))}
        />
        <Button
          onClick={() => {
            change(withoutArea(picked));
            onPicked(null);
          }}
        >
          Delete
        </Button>
      </div>
      <label className="flex items-center gap-2 text-soft">
        <input
          type="checkbox"
          checked={area.sceneId !== null}
          onChange={() => set({ sceneId: area.sceneId === null ? sceneId : null })}
        />
        Holds for this date only
      </label>
    </div>
  );
}
