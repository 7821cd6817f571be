import { useMemo, useRef } from "react";
import type { Scene, Study } from "../api/types";
import { day, dayYear, time } from "../lib/format";
import { lanesOf, monthMarks } from "./timeMarks";
import { cx, useSize } from "../ui/controls";

/** `pairable`: scenes that the handles may be put on. */
interface Props {
  study: Study;
  scenes: Scene[];
  pairable?: readonly Scene[];
  beforeId: string | null;
  afterId: string | null;
  onPair?(beforeId: string, afterId: string): void;
  onPick?(id: string): void;
  pickedId?: string | null;
}

const DAY = 864e5;

/** The dated axis: every scene, the event, and the two handles that choose before and after. */
export function TimeStrip({
  study,
  scenes,
  pairable,
  beforeId,
  afterId,
  onPair,
  onPick,
  pickedId,
}: Props) {
  const [ref, { width }] = useSize<HTMLDivElement>();
  const dated = useMemo(() => scenes.filter((scene) => scene.acquiredAt), [scenes]);
  const event = study.eventAt ? Date.parse(study.eventAt) : null;
  const times = [...dated.map((scene) => Date.parse(scene.acquiredAt!)), ...(event ? [event] : [])];
  const first = Math.min(...times);
  const last = Math.max(...times);
  const pad = Math.max(8 * DAY, (last - first) * 0.18);
  const t0 = first - pad;
  const t1 = last + pad;
  const x = (t: number) => 24 + ((t - t0) / (t1 - t0)) * Math.max(0, width - 48);
  const usable = pairable ?? dated.filter((scene) => scene.imageId);
  const lanes = lanesOf(dated.map((scene) => x(Date.parse(scene.acquiredAt!))));
  const before = dated.find((scene) => scene.id === beforeId);
  const after = dated.find((scene) => scene.id === afterId);
  const drag = useRef<"before" | "after" | null>(null);

  const move = (which: "before" | "after", target: Scene | undefined) => {
    if (!target || !onPair) {
      return;
    }
    const scene = which === "before" ? target : before;
    const a = which === "after" ? target : after;
    if (
      !scene ||
      !a ||
      scene.acquiredAt! >= a.acquiredAt! ||
      (scene.id === beforeId && a.id === afterId)
    ) {
      return;
    }
    onPair(scene.id, a.id);
  };
  const step = (which: "before" | "after", by: number) => {
    const k = usable.findIndex((scene) => scene.id === (which === "before" ? beforeId : afterId));
    move(which, usable[k + by]);
  };
  const nearest = (clientX: number) => {
    const px = clientX - (ref.current?.getBoundingClientRect().left ?? 0);
    return [...usable].sort(
      (scene, eachScene) =>
        Math.abs(x(Date.parse(scene.acquiredAt!)) - px) -
        Math.abs(x(Date.parse(eachScene.acquiredAt!)) - px),
    )[0];
  };

  const months = monthMarks(t0, t1, Math.max(0, width - 48));

  const handle = (which: "before" | "after", scene: Scene | undefined) =>
    scene && (
      <div
        role="slider"
        tabIndex={onPair ? 0 : -1}
        aria-label={`${which === "before" ? "Before" : "After"} date`}
        aria-valuemin={0}
        aria-valuemax={usable.length - 1}
        aria-valuenow={usable.findIndex((each) => each.id === scene.id)}
        aria-valuetext={dayYear(scene.acquiredAt!)}
        aria-disabled={!onPair}
        onKeyDown={(e) => {
          let delta: 1 | 0 | -1;
          if (e.key === "ArrowLeft") {
            delta = -1;
          } else if (e.key === "ArrowRight") {
            delta = 1;
          } else {
            delta = 0;
          }
          if (delta) {
            e.preventDefault();
            step(which, delta);
          }
        }}
        onPointerDown={(e) => {
          if (!onPair) {
            return;
          }
          drag.current = which;
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          if (drag.current === which) {
            move(which, nearest(e.clientX));
          }
        }}
        onPointerUp={() => {
          drag.current = null;
        }}
        className={cx(
          "absolute top-[59px] touch-none select-none whitespace-nowrap rounded-[3px] px-2 text-[12px] font-semibold leading-[19px] text-white",
          onPair && "cursor-ew-resize",
          which === "before" ? "bg-before" : "bg-after",
        )}
        style={
          which === "before"
            ? { right: Math.min(width - 96, width - x(Date.parse(scene.acquiredAt!)) - 7) }
            : { left: Math.min(width - 96, x(Date.parse(scene.acquiredAt!)) - 7) }
        }
      >
        {which === "before" ? "Before" : "After"} · {day(scene.acquiredAt!)}
      </div>
    );

  return (
    <div
      ref={ref}
      role="group"
      aria-label="Time strip"
      className="relative h-[92px] shrink-0 border-t border-line bg-paper"
    >
      {times.length === 0 ? (
        <p className="px-6 py-9 text-soft">Dated scenes and the event appear here.</p>
      ) : (
        width > 0 && (
          <>
            {times.length > 0 &&
              months.map((month) => (
                <div
                  key={month.t}
                  className="absolute bottom-3 top-3.5 border-l border-line pl-1.5 text-label text-soft"
                  style={{ left: x(month.t) }}
                >
                  {month.name}
                </div>
              ))}
            <div className="absolute inset-x-6 top-[46px] h-px bg-[#a9aea8]" />
            {before && after && (
              <div
                className="absolute top-[43px] h-[7px] bg-[#d9d6cb]"
                style={{
                  left: x(Date.parse(before.acquiredAt!)),
                  width: x(Date.parse(after.acquiredAt!)) - x(Date.parse(before.acquiredAt!)),
                }}
              />
            )}
            {event !== null && (
              <div
                className="absolute top-[9px] h-[52px] border-l-2 border-ink"
                style={{ left: x(event) }}
              >
                <span className="block whitespace-nowrap rounded-r-[3px] bg-ink px-1.5 text-[11.5px] font-semibold leading-[18px] text-white">
                  Event {day(study.eventAt!)}
                </span>
              </div>
            )}
            {dated.map((scene, k) => {
              let side: "before" | "after" | null;
              if (scene.id === beforeId) {
                side = "before";
              } else if (scene.id === afterId) {
                side = "after";
              } else {
                side = null;
              }
              return (
                <button
                  key={scene.id}
                  type="button"
                  disabled={!scene.imageId}
                  onClick={() => {
                    if (onPick) {
                      onPick(scene.id);
                    } else if (onPair && usable.some((each) => each.id === scene.id)) {
                      if (event !== null && Date.parse(scene.acquiredAt!) < event) {
                        move("before", scene);
                      } else {
                        move("after", scene);
                      }
                    }
                  }}
                  aria-label={`${scene.name}, ${dayYear(scene.acquiredAt!)}, ${time(scene.acquiredAt!)}${side ? `, ${side}` : ""}`}
                  title={`${scene.name}\n${dayYear(scene.acquiredAt!)}, ${time(scene.acquiredAt!)}`}
                  className="absolute flex h-6 w-6 -translate-x-1/2 items-center justify-center"
                  style={{ left: x(Date.parse(scene.acquiredAt!)), top: 35 + lanes[k]! * 13 }}
                >
                  <span
                    className={cx(
                      "block h-3 w-3 border-[1.5px]",
                      scene.kind === "radar" ? "rotate-45" : "rounded-full",
                      side === "before"
                        ? "border-before bg-before"
                        : side === "after"
                          ? "border-after bg-after"
                          : "border-ink bg-paper",
                      pickedId === scene.id && "ring-2 ring-spruce ring-offset-1",
                      !scene.imageId && "opacity-40",
                    )}
                  />
                </button>
              );
            })}
            {handle("before", before)}
            {handle("after", after)}
          </>
        )
      )}
    </div>
  );
}
