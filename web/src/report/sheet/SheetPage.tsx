import type { DrawnPage } from "@hindglance/contract/sheet";
import type { EditableText } from "@hindglance/core/sheet/compose";
import { type FrameKind, type MapKind, isMapKind } from "@hindglance/core/sheet/layout";
import { useState } from "react";
import { FrameBox, type Shares } from "./FrameBox";
import { GroundBox } from "./GroundBox";
import { TextInPlace } from "./TextInPlace";

interface Props {
  page: DrawnPage;
  /** Which page of how many. */
  number: string;
  /** Width on the screen, pixels. */
  width: number;
  picked: FrameKind | null;
  pick(kind: FrameKind): void;
  onMove(kind: FrameKind, by: readonly [number, number]): void;
  onSize(kind: FrameKind, by: readonly [number, number]): void;
  onText(key: EditableText["key"], value: string): void;
  /** The map whose ground is being moved; null: none is. */
  moving: MapKind | null;
  /** The ground of a map moved by millimetres of the page. */
  onGround(kind: MapKind, by: readonly [number, number]): void;
}

const holds = ({ x, y, width, height }: EditableText, px: number, py: number): boolean =>
  px >= x && px <= x + width && py >= y && py <= y + height;

/** A page as it will be printed, with its frames to be moved and its words to be set. */
export function SheetPage({ page, number, width, picked, pick, moving, ...on }: Props) {
  const [typing, setTyping] = useState<EditableText["key"] | null>(null);
  const scale = width / page.width;
  const size = { width, height: page.height * scale };
  const text = page.texts.find(({ key }) => key === typing);
  const sharesOf = (box: DrawnPage["frames"][number]): Shares => ({
    ...{ left: box.x / page.width, top: box.y / page.height },
    ...{ width: box.width / page.width, height: box.height / page.height },
  });
  const textsIn = (frame: DrawnPage["frames"][number]) =>
    page.texts.filter(
      ({ x, y }) =>
        x >= frame.x - 1 &&
        x <= frame.x + frame.width &&
        y >= frame.y - 3 &&
        y <= frame.y + frame.height,
    );
  const ground = page.maps.find(({ kind }) => kind === moving);
  return (
    <div
      role="group"
      aria-label={number}
      className="relative shrink-0 bg-white shadow-[0_1px_4px_rgba(0,0,0,.25)]"
      style={size}
    >
      <div
        className="absolute inset-0 [&>svg]:h-full [&>svg]:w-full"
        dangerouslySetInnerHTML={{ __html: page.svg }}
      />
      {page.frames.map((frame) => (
        <FrameBox
          key={frame.kind}
          kind={frame.kind}
          at={sharesOf(frame)}
          page={size}
          isPicked={picked === frame.kind}
          pick={() => pick(frame.kind)}
          onMove={(by) => on.onMove(frame.kind, by)}
          onSize={(by) => on.onSize(frame.kind, by)}
          onClick={(x, y) =>
            setTyping(
              page.texts.find((one) => holds(one, x * page.width, y * page.height))?.key ?? null,
            )
          }
          onEnter={() => setTyping(textsIn(frame)[0]?.key ?? null)}
        />
      ))}
      {ground && isMapKind(ground.kind) && (
        <GroundBox
          key={ground.kind}
          box={ground.placed.box}
          scale={scale}
          onMove={(by) => on.onGround(ground.kind, by)}
        />
      )}
      {text && (
        <TextInPlace
          key={text.key}
          text={text}
          scale={scale}
          onKeep={(value) => on.onText(text.key, value)}
          onLeave={() => setTyping(null)}
        />
      )}
    </div>
  );
}
