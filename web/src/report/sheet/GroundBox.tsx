import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Box } from "@hindglance/core/sheet/marks";

interface Props {
  /** Of the picture on the page, millimetres. */
  box: Box;
  /** Pixels of a millimetre. */
  scale: number;
  /** The ground is pulled by so many millimetres. */
  onMove(by: readonly [number, number]): void;
}

const STEPS: Record<string, readonly [number, number]> = {
  ArrowLeft: [1, 0],
  ArrowRight: [-1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};
/** Share of a map by which an arrow key moves its ground. */
const STEP = 0.1;

/** Lies over a map while its ground is moved: it is pulled with the pointer, or gone over by arrow keys. */
export function GroundBox({ box, scale, onMove }: Props) {
  const from = useRef<[number, number] | null>(null);
  const [by, setBy] = useState<[number, number]>([0, 0]);
  const onKey = (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    if (step) {
      event.preventDefault();
      onMove([step[0] * STEP * box.width, step[1] * STEP * box.height]);
    }
  };
  const end = (event: PointerEvent) => {
    if (from.current) {
      const way = [event.clientX - from.current[0], event.clientY - from.current[1]] as const;
      from.current = null;
      setBy([0, 0]);
      if (Math.hypot(...way) > 2) {
        onMove([way[0] / scale, way[1] / scale]);
      }
    }
  };
  return (
    <div
      role="application"
      tabIndex={0}
      aria-label="Ground of the map. Arrow keys move over it"
      onKeyDown={onKey}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = [event.clientX, event.clientY];
      }}
      onPointerMove={(event) => {
        if (from.current) {
          setBy([event.clientX - from.current[0], event.clientY - from.current[1]]);
        }
      }}
      onPointerUp={end}
      onPointerCancel={() => {
        from.current = null;
        setBy([0, 0]);
      }}
      className="absolute cursor-grab touch-none overflow-hidden border-2 border-after active:cursor-grabbing"
      style={{
        ...{ left: box.x * scale, top: box.y * scale },
        ...{ width: box.width * scale, height: box.height * scale },
      }}
    >
      <div
        aria-hidden
        className="absolute inset-0 border border-dashed border-after bg-after/10"
        style={{ transform: `translate(${by[0]}px, ${by[1]}px)` }}
      />
    </div>
  );
}
