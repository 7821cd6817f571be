import { useRef } from "react";

/** A line that is dragged across the map; what lies left of it is named by `what`. */
export function Curtain({
  at,
  onMove,
  what = "before",
}: {
  at: number;
  onMove(value: number): void;
  what?: string;
}) {
  const box = useRef<HTMLDivElement>(null);
  const set = (value: number) => onMove(Math.max(0.02, Math.min(0.98, value)));
  return (
    <div ref={box} className="pointer-events-none absolute inset-0">
      <div
        className="absolute inset-y-0 w-[2px] -translate-x-1/2 bg-white"
        style={{ left: `${at * 100}%` }}
      />
      <div
        role="slider"
        tabIndex={0}
        aria-label="Curtain"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(at * 100)}
        aria-valuetext={`${Math.round(at * 100)} percent ${what}`}
        className="pointer-events-auto absolute top-1/2 flex h-7 w-7 -translate-x-1/2 -translate-y-1/2 cursor-ew-resize touch-none items-center justify-center rounded-full bg-white text-[11px] font-bold text-ink shadow"
        style={{ left: `${at * 100}%` }}
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
            e.stopPropagation();
            set(at + delta * (e.shiftKey ? 0.1 : 0.01));
          }
        }}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          e.stopPropagation();
        }}
        onPointerMove={(e) => {
          if (e.buttons) {
            const dOMRect = box.current!.getBoundingClientRect();
            set((e.clientX - dOMRect.left) / dOMRect.width);
          }
        }}
      >
        ‹ ›
      </div>
    </div>
  );
}
