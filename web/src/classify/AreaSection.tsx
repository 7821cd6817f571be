import { useState } from "react";
import { Section } from "../frame/Section";
import type { TrainingArea } from "@hindglance/core/classify/settings";
import { MOST_DISTANCE } from "@hindglance/core/classify/growArea";
import { number, shownNumber } from "../lib/format";
import { Button } from "../ui/Button";
import { Pick as Choose } from "../ui/Pick";
import { Slide } from "../ui/Slide";
import { withAreas } from "@hindglance/core/classify/legend";
import type { Classify } from "./useClassify";
import { type Doing, type DrawingOnScreen, type Making, isKeepable } from "./useDrawing";

interface Props {
  classify: Classify;
  drawing: DrawingOnScreen;
  sceneId: string;
}

const isMaking = (doing: Doing | null): boolean =>
  doing !== null && doing !== "shape" && doing !== "split";

/** Making areas of a class, and what is done to the one that is picked. */
export function AreaSection({ classify, drawing, sceneId }: Props) {
  const { settings, undo, redo } = classify;
  const { area } = drawing;
  return (
    <Section
      title="Areas"
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
      <Make drawing={drawing} nameOf={(label) => settings.legend.find(has(label))?.name ?? null} />
      {drawing.doing === "grow" && <Grow {...drawing.grow} keepGrown={drawing.keepGrown} />}
      {area ? (
        <PickedArea {...{ classify, area, drawing, sceneId }} />
      ) : (
        <p className="mt-2 text-soft">Click an area on the map to change or delete it.</p>
      )}
    </Section>
  );
}

const has =
  (label: number | null) =>
  (one: { label: number }): boolean =>
    one.label === label;

interface MakeProps {
  drawing: DrawingOnScreen;
  nameOf(label: number | null): string | null;
}

/** How areas are made, and of which class. */
function Make({ drawing, nameOf }: MakeProps) {
  const [how, setHow] = useState<Making>("polygon");
  const { doing, label, begin } = drawing;
  const name = nameOf(label)?.toLowerCase() ?? null;
  const makes = isMaking(doing);
  return (
    <div className="flex flex-wrap items-center gap-2">
      <Button
        disabled={name === null}
        aria-pressed={makes}
        onClick={() => begin(makes ? null : how)}
        className={makes ? "border-spruce" : undefined}
      >
        {makes ? "Stop drawing" : `Draw ${name ?? "an area"}`}
      </Button>
      <Choose<Making>
        label="How areas are drawn"
        className="w-[156px]"
        value={how}
        onChange={(next) => {
          setHow(next);
          begin(makes ? next : null);
        }}
        options={[
          { value: "polygon", name: "by corners" },
          { value: "rectangle", name: "rectangle" },
          { value: "freehand", name: "by hand" },
          { value: "cell", name: "single cells" },
          { value: "grow", name: "grow from here" },
        ]}
      />
      <label className="flex basis-full items-center gap-2 text-soft">
        <input
          type="checkbox"
          checked={drawing.isForTest}
          onChange={({ target }) => drawing.setIsForTest(target.checked)}
        />
        To test on, not to train on
      </label>
    </div>
  );
}

type GrowProps = DrawingOnScreen["grow"] & Pick<DrawingOnScreen, "keepGrown">;

/** How far an area grows from where it began, and whether it is kept. */
function Grow({ area, distance, setDistance, isPending, discard, keepGrown }: GrowProps) {
  const keep = () => {
    if (area && keepGrown(area.polygons)) {
      discard();
    }
  };
  return (
    <div className="mt-2 space-y-2">
      <div className="flex items-center gap-3">
        <span
          className="shrink-0 text-soft"
          title="How far cells may be from where it begins: the root mean square over the inputs, in standard deviations of each"
        >
          Differs by up to
        </span>
        <Slide
          label="Differs by up to"
          {...{ min: 0, max: MOST_DISTANCE, step: 0.02, value: distance }}
          text={`${shownNumber(distance, 2)} standard deviations`}
          onChange={setDistance}
        />
        <span className="w-9 shrink-0 text-right font-mono">{shownNumber(distance, 2)}</span>
      </div>
      <div className="flex items-center gap-2">
        <span role="status" className="flex-1 text-soft">
          {grownText(area, isPending)}
        </span>
        <Button disabled={!area || !isKeepable(area.polygons)} onClick={keep}>
          Keep area
        </Button>
      </div>
      {area && !isKeepable(area.polygons) && (
        <p className="text-warnink">Its outline has too many corners. Let it grow less far.</p>
      )}
    </div>
  );
}

function grownText(area: DrawingOnScreen["grow"]["area"], isPending: boolean): string {
  if (isPending) {
    return "Growing …";
  }
  if (!area) {
    return "Nothing grows yet.";
  }
  const cells = `${number(area.cells)} ${area.cells === 1 ? "cell" : "cells"}`;
  return area.isCut ? `${cells}, up to the edge of what is looked at` : cells;
}

interface PickedProps extends Props {
  area: TrainingArea;
}

/** The class of an area, the dates that it holds for, and its shape. */
function PickedArea({ classify, area, drawing, sceneId }: PickedProps) {
  const { settings, change } = classify;
  const { doing, begin, picked } = drawing;
  const set = (part: Partial<TrainingArea>) =>
    change(withAreas({ [picked!]: { ...area, ...part } }));
  const toggle = (wanted: Doing) => ({
    "aria-pressed": doing === wanted,
    className: doing === wanted ? "border-spruce" : undefined,
    onClick: () => begin(doing === wanted ? null : wanted),
  });
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
      </div>
      <div className="flex flex-wrap gap-2">
        <Button {...toggle("shape")}>Move or reshape</Button>
        <Button {...toggle("split")}>Split</Button>
        <Button onClick={drawing.remove}>Delete</Button>
      </div>
      <label className="flex items-center gap-2 text-soft">
        <input
          type="checkbox"
          checked={area.sceneId !== null}
          onChange={() => set({ sceneId: area.sceneId === null ? sceneId : null })}
        />
        Holds for this date only
      </label>
      <label className="flex items-center gap-2 text-soft">
        <input
          type="checkbox"
          checked={!!area.isTest}
          onChange={({ target }) => set({ isTest: target.checked })}
        />
        To test on, not to train on
      </label>
    </div>
  );
}
