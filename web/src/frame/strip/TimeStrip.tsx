import { useMemo } from "react";
import type { Scene, Study } from "../../api/types";
import { day } from "../../lib/format";
import { useSayShown } from "../../state/shownThing";
import { useSize } from "../../ui/useSize";
import { type Axis, axisOf, timeOf } from "./axis";
import { Handle } from "./Handle";
import { SceneMark } from "./SceneMark";
import { lanesOf, monthMarks } from "./timeMarks";
import { type Side, pairing } from "./pairing";

interface Props {
  study: Study;
  scenes: Scene[];
  /** Scenes that the handles may be put on; all that are stored where it is left out. */
  pairable?: readonly Scene[];
  beforeId: string | null;
  afterId: string | null;
  onPair?(beforeId: string, afterId: string): void;
  onPick?(id: string): void;
  pickedId?: string | null;
  /** The change map that the page is about, where it is about one. */
  mapId?: string | null;
}

/** The dated axis: every scene, the event, and the two handles that choose before and after. */
export function TimeStrip(props: Props) {
  const { study, scenes, beforeId, afterId, pickedId } = props;
  useSayShown(props.mapId ?? null, pickedId ? [pickedId] : [beforeId, afterId]);
  const [ref, { width }] = useSize<HTMLDivElement>();
  const dated = useMemo(() => scenes.filter(({ acquiredAt }) => acquiredAt), [scenes]);
  const event = study.eventAt ? Date.parse(study.eventAt) : null;
  const times = [...dated.map(timeOf), ...(event === null ? [] : [event])];
  const axis = axisOf(times, width);
  return (
    <div
      ref={ref}
      role="group"
      aria-label="Time strip"
      className="relative h-[92px] shrink-0 border-t border-line bg-paper"
    >
      {times.length === 0 && (
        <p className="px-6 py-9 text-soft">Dated scenes and the event appear here.</p>
      )}
      {axis && (
        <>
          <Months axis={axis} />
          <div className="absolute inset-x-6 top-[46px] h-px bg-[#a9aea8]" />
          <Marks {...props} axis={axis} dated={dated} event={event} />
        </>
      )}
    </div>
  );
}

const Months = ({ axis }: { axis: Axis }) =>
  monthMarks(axis.from, axis.to, axis.room).map(({ t, name }) => (
    <div
      key={t}
      className="absolute bottom-3 top-3.5 border-l border-line pl-1.5 text-label text-soft"
      style={{ left: axis.x(t) }}
    >
      {name}
    </div>
  ));

interface MarksProps extends Props {
  axis: Axis;
  dated: Scene[];
  /** UTC milliseconds. */
  event: number | null;
}

function Marks({ axis, dated, event, beforeId, afterId, onPair, onPick, ...props }: MarksProps) {
  const usable = props.pairable ?? dated.filter(({ imageId }) => imageId);
  const before = dated.find(({ id }) => id === beforeId);
  const after = dated.find(({ id }) => id === afterId);
  const pair = pairing({ usable, before, after, onPair });
  const lanes = lanesOf(dated.map((scene) => axis.x(timeOf(scene))));
  const sideOf = ({ id }: Scene): Side | null => {
    if (id === beforeId) {
      return "before";
    }
    return id === afterId ? "after" : null;
  };
  const pick = (scene: Scene) => {
    if (onPick) {
      onPick(scene.id);
    } else if (usable.some(({ id }) => id === scene.id)) {
      pair.move(event !== null && timeOf(scene) < event ? "before" : "after", scene);
    }
  };
  const handle = { axis, pair, last: usable.length - 1, movable: !!onPair };
  return (
    <>
      {before && after && <Span axis={axis} before={before} after={after} />}
      {event !== null && <EventMark x={axis.x(event)} at={props.study.eventAt!} />}
      {dated.map((scene, k) => (
        <SceneMark
          key={scene.id}
          scene={scene}
          side={sideOf(scene)}
          x={axis.x(timeOf(scene))}
          lane={lanes[k]!}
          isPicked={props.pickedId === scene.id}
          pick={() => pick(scene)}
        />
      ))}
      {before && <Handle {...handle} side="before" scene={before} />}
      {after && <Handle {...handle} side="after" scene={after} />}
    </>
  );
}

function Span({ axis, before, after }: { axis: Axis; before: Scene; after: Scene }) {
  const left = axis.x(timeOf(before));
  return (
    <div
      className="absolute top-[43px] h-[7px] bg-[#d9d6cb]"
      style={{ left, width: axis.x(timeOf(after)) - left }}
    />
  );
}

const EventMark = ({ x, at }: { x: number; at: string }) => (
  <div className="absolute top-[9px] h-[52px] border-l-2 border-ink" style={{ left: x }}>
    <span className="block whitespace-nowrap rounded-r-[3px] bg-ink px-1.5 text-[11.5px] font-semibold leading-[18px] text-white">
      Event {day(at)}
    </span>
  </div>
);
