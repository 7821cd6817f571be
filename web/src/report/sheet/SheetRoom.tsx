import type { DrawnSheet, SheetState } from "@hindglance/contract/sheet";
import { moveFrame, sizeFrame, withView } from "@hindglance/core/sheet/arrange";
import type { FrameKind, MapKind } from "@hindglance/core/sheet/layout";
import { Redo2, Undo2 } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { ChangeMap } from "../../api/types";
import { sayError } from "../../api/client";
import { Workspace } from "../../frame/Workspace";
import { Bar } from "../../ui/Bar";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Problem } from "../../ui/Messages";
import { useSize } from "../../ui/useSize";
import { useUndoKey } from "../../ui/useUndoKey";
import { useFile } from "../useFile";
import { useSheetFonts } from "./fonts";
import { type Grounds, drawnMap, pickedMap, pulled, scaled } from "./grounds";
import { SheetDesk } from "./SheetDesk";
import { SheetPage } from "./SheetPage";
import { useDrawn, useEdited, useSheetState } from "./useSheet";

interface Props {
  map: ChangeMap;
  head: ReactNode;
  strip: ReactNode;
}

/** The sheet of a map: as it will be printed, with its frames to be moved and its words to be set. */
export function SheetRoom(props: Props) {
  useSheetFonts();
  const state = useSheetState(props.map);
  if (!state) {
    return (
      <Room {...props} desk={null}>
        <p className="p-4 text-soft">Loading …</p>
      </Room>
    );
  }
  return <Editor key={props.map.id} {...props} state={state} />;
}

interface RoomProps extends Omit<Props, "map"> {
  desk: ReactNode;
  footer?: ReactNode;
  children: ReactNode;
}

const Room = ({ head, strip, desk, footer, children }: RoomProps) => (
  <Workspace
    label="Report"
    strip={strip}
    desk={desk}
    {...(footer ? { footer } : {})}
    picture={
      <div className="flex h-full flex-col gap-3 bg-bone p-5 pb-0 text-ink">
        {head}
        {children}
      </div>
    }
  />
);

type Zoom = "page" | "width";
const ZOOMS: { value: Zoom; name: string }[] = [
  { value: "page", name: "Whole page" },
  { value: "width", name: "Full width" },
];
/** Pixels around pages. */
const ROOM = 16;

/** How wide pages are on the screen. */
function widthOf(
  zoom: Zoom,
  room: { width: number; height: number },
  page: DrawnSheet["pages"][0],
) {
  const width = Math.max(200, room.width - 2 * ROOM);
  const whole = (Math.max(150, room.height - ROOM) * page.width) / page.height;
  return zoom === "width" ? width : Math.min(width, whole);
}

/** What is picked of the page, and the ground of the map that is. */
function usePicked({ sheet, change }: ReturnType<typeof useEdited>, drawn: DrawnSheet | undefined) {
  const [picked, setPicked] = useState<FrameKind | null>(null);
  const [moving, setMoving] = useState<MapKind | null>(null);
  const own = drawnMap(drawn, picked);
  const map = pickedMap(drawn, sheet, picked);
  const grounds: Grounds = {
    map,
    isMoving: map !== null && moving === map.kind,
    setMoving: (isMoving) => setMoving(isMoving && map ? map.kind : null),
    setScale: (scale) => own && change((from) => scaled(from, own, scale)),
    reset: () => map && change((from) => withView(from, map.kind, null)),
  };
  const pick = (kind: FrameKind) => {
    setPicked(kind);
    if (kind !== moving) {
      setMoving(null);
    }
  };
  return { picked, pick, moving, grounds };
}

function Editor({ map, head, strip, state }: Props & { state: SheetState }) {
  const edited = useEdited(map, state);
  const { sheet, change, undo, redo } = edited;
  const { drawn, error, isDrawing } = useDrawn(map, sheet);
  const { picked, pick, moving, grounds } = usePicked(edited, drawn);
  const [zoom, setZoom] = useState<Zoom>("page");
  const [ref, room] = useSize<HTMLDivElement>();
  useUndoKey(undo, redo);
  const onGround = (kind: MapKind, by: readonly [number, number]) => {
    const own = drawnMap(drawn, kind);
    if (own && drawn) {
      change((from) => pulled(from, own, drawn.crs, by));
    }
  };
  return (
    <Room
      {...{ head, strip }}
      desk={<SheetDesk {...{ sheet, drawn, change, picked, pick, grounds }} />}
      footer={
        <SheetFiles
          {...{ map, flush: edited.flush, pages: drawn?.pages.length ?? 1 }}
          isChanged={edited.canUndo || edited.canRedo}
        />
      }
    >
      <div className="flex items-center gap-2">
        <Choice<Zoom> label="Size on the screen" value={zoom} onChange={setZoom} options={ZOOMS} />
        <Button aria-label="Undo" title="Undo, Ctrl Z" disabled={!edited.canUndo} onClick={undo}>
          <Undo2 size={14} aria-hidden />
        </Button>
        <Button
          aria-label="Redo"
          title="Redo, Ctrl Shift Z"
          disabled={!edited.canRedo}
          onClick={redo}
        >
          <Redo2 size={14} aria-hidden />
        </Button>
        <span className="text-label text-soft" role="status">
          {pagesText(drawn, isDrawing)}
        </span>
      </div>
      {error && <Problem>{sayError(error)}</Problem>}
      <div
        ref={ref}
        className="-mx-5 flex min-h-0 flex-1 flex-col items-center gap-4 overflow-auto px-5 pb-4"
        role="region"
        aria-label="Pages of the sheet"
        tabIndex={0}
      >
        {drawn?.pages.map((page, k) => (
          <SheetPage
            key={k}
            page={page}
            number={`Page ${k + 1} of ${drawn.pages.length}`}
            width={widthOf(zoom, room, page)}
            {...{ picked, pick, moving, onGround }}
            onMove={(kind, by) =>
              change((from) => ({ ...from, layout: moveFrame(from.layout, kind, by) }))
            }
            onSize={(kind, by) =>
              change((from) => ({ ...from, layout: sizeFrame(from.layout, kind, by) }))
            }
            onText={(key, value) =>
              change((from) => ({ ...from, texts: { ...from.texts, [key]: value } }))
            }
          />
        ))}
      </div>
    </Room>
  );
}

/** How many pages there are, and that they are being drawn. */
function pagesText(drawn: DrawnSheet | undefined, isDrawing: boolean): string {
  if (!drawn) {
    return isDrawing ? "Drawing …" : "";
  }
  const pages = drawn.pages.length === 1 ? "1 page" : `${drawn.pages.length} pages`;
  const more = drawn.pages.length > 1 ? ": what has no room in its frame goes on" : "";
  return isDrawing ? "Drawing …" : `${pages}${more}`;
}

const OFFERED = [
  { format: "sheetPdf", name: "PDF" },
  { format: "sheetPng", name: "PNG" },
  { format: "sheetSvg", name: "SVG" },
  { format: "sheetPages", name: "Pages" },
  { format: "slides", name: "Slides" },
] as const;

interface FilesProps {
  map: ChangeMap;
  /** Keeps what is set. */
  flush(): Promise<void>;
  /** Whether anything was set since the room was opened: a file that is there may be older. */
  isChanged: boolean;
}

/** Files of the sheet: made when they are asked for, of what is set then. */
const SheetFiles = ({ pages, ...props }: FilesProps & { pages: number }) => (
  <div className="flex flex-wrap items-center gap-1.5">
    {OFFERED.filter(({ format }) => format !== "sheetPages" || pages > 1).map(
      ({ format, name }) => (
        <SheetFile key={format} {...{ format, name, ...props }} />
      ),
    )}
  </div>
);

interface FileProps extends FilesProps {
  format: (typeof OFFERED)[number]["format"];
  name: string;
}

function SheetFile({ map, format, name, flush, isChanged }: FileProps) {
  const { file, busy, progress, get, make } = useFile(map, format);
  return (
    <Button
      tone={format === "sheetPdf" ? "act" : "plain"}
      disabled={busy}
      aria-label={`${file && !isChanged ? "Download" : "Make"} ${name}`}
      onClick={() => void flush().then(isChanged ? make : get)}
    >
      {busy ? (
        <span className="w-14">
          <Bar share={progress} label={`Making ${name}`} />
        </span>
      ) : (
        name
      )}
    </Button>
  );
}
