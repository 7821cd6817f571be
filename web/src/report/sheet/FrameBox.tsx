import { COLUMNS, FRAME_NAMES, type FrameKind, ROWS } from "@hindglance/core/sheet/layout";
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { cx } from "../../ui/cx";

/** A place on a page, shares of it. */
export interface Shares {
  left: number;
  top: number;
  width: number;
  height: number;
}

interface Props {
  kind: FrameKind;
  at: Shares;
  /** Width and height of the page on the screen, pixels. */
  page: { width: number; height: number };
  isPicked: boolean;
  pick(): void;
  /** Moved, or made larger, by columns and rows. */
  onMove(by: readonly [number, number]): void;
  onSize(by: readonly [number, number]): void;
  /** Clicked without moving: where on the page, shares of it. */
  onClick(x: number, y: number): void;
  onEnter(): void;
}

interface Drag {
  what: "move" | "size";
  from: [number, number];
  by: [number, number];
}

const STEPS: Record<string, readonly [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};
/** Pixels that a click may move. */
const STILL = 4;

/** Columns and rows of a way on the screen. */
const stepsOf = ([x, y]: readonly [number, number], page: Props["page"]): [number, number] => [
  Math.round((x / page.width) * COLUMNS),
  Math.round((y / page.height) * ROWS),
];

const percent = (share: number): string => `${100 * share}%`;

/** Where a frame would come to lie. */
function ghostOf(at: Shares, drag: Drag, page: Props["page"]): Shares {
  const [columns, rows] = stepsOf(drag.by, page);
  const [across, down] = [columns / COLUMNS, rows / ROWS];
  return drag.what === "move"
    ? { ...at, left: at.left + across, top: at.top + down }
    : {
        ...at,
        width: Math.max(1 / COLUMNS, at.width + across),
        height: Math.max(1 / ROWS, at.height + down),
      };
}

/** Follows the pointer from where it was put down. */
function useDrag({ page, onMove, onSize, onClick, pick, at }: Props) {
  const [drag, setDrag] = useState<Drag | null>(null);
  const began = useRef<Drag | null>(null);
  const set = (next: Drag | null) => {
    began.current = next;
    setDrag(next);
  };
  return {
    drag,
    begin: (what: Drag["what"]) => (event: PointerEvent<HTMLElement>) => {
      if (event.button !== 0) {
        return;
      }
      event.stopPropagation();
      event.currentTarget.setPointerCapture(event.pointerId);
      pick();
      set({ what, from: [event.clientX, event.clientY], by: [0, 0] });
    },
    follow: (event: PointerEvent<HTMLElement>) => {
      if (began.current) {
        const { from } = began.current;
        set({ ...began.current, by: [event.clientX - from[0], event.clientY - from[1]] });
      }
    },
    end: (event: PointerEvent<HTMLElement>) => {
      const last = began.current;
      set(null);
      if (!last) {
        return;
      }
      if (last.what === "move" && Math.hypot(...last.by) < STILL) {
        const box = event.currentTarget.getBoundingClientRect();
        const x = at.left + ((event.clientX - box.left) / box.width) * at.width;
        onClick(x, at.top + ((event.clientY - box.top) / box.height) * at.height);
        return;
      }
      (last.what === "move" ? onMove : onSize)(stepsOf(last.by, page));
    },
    giveUp: () => set(null),
  };
}

/**
 * A frame on a page: dragged to another place, at its corner to another size; by arrow keys as well, with
 * Shift its size.
 */
export function FrameBox(props: Props) {
  const { kind, at, page, isPicked, pick, onMove, onSize, onEnter } = props;
  const { drag, begin, follow, end, giveUp } = useDrag(props);
  const name = FRAME_NAMES[kind];
  const onKey = (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    if (step) {
      event.preventDefault();
      (event.shiftKey ? onSize : onMove)(step);
    } else if (event.key === "Enter") {
      event.preventDefault();
      onEnter();
    } else if (event.key === "Escape") {
      giveUp();
    }
  };
  const ghost = drag && Math.hypot(...drag.by) >= STILL ? ghostOf(at, drag, page) : null;
  return (
    <>
      <div
        role="button"
        tabIndex={0}
        aria-pressed={isPicked}
        aria-label={`${name}. Arrow keys move it, with Shift they change its size`}
        title={name}
        onFocus={pick}
        onKeyDown={onKey}
        onPointerDown={begin("move")}
        onPointerMove={follow}
        onPointerUp={end}
        onPointerCancel={giveUp}
        className={cx(
          "absolute cursor-move touch-none rounded-[2px] outline-offset-1",
          isPicked
            ? "border-2 border-spruce"
            : "border border-transparent hover:border-dashed hover:border-soft",
        )}
        style={{
          ...{ left: percent(at.left), top: percent(at.top) },
          ...{ width: percent(at.width), height: percent(at.height) },
        }}
      >
        {isPicked && (
          <span
            aria-hidden
            onPointerDown={begin("size")}
            onPointerMove={follow}
            onPointerUp={end}
            onPointerCancel={giveUp}
            className="absolute -bottom-2 -right-2 h-4 w-4 cursor-nwse-resize touch-none rounded-sm border-2 border-white bg-spruce"
          />
        )}
      </div>
      {ghost && (
        <div
          aria-hidden
          className="pointer-events-none absolute border-2 border-dashed border-spruce bg-spruce/15"
          style={{
            ...{ left: percent(ghost.left), top: percent(ghost.top) },
            ...{ width: percent(ghost.width), height: percent(ghost.height) },
          }}
        />
      )}
    </>
  );
}
