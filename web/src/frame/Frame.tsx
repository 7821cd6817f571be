import { prepareRoutes } from "@hindglance/contract/prepare";
import { call } from "../api/call";
import { type ReactNode, useEffect } from "react";
import { Link, NavLink, useNavigate, useParams } from "react-router";
import { DropdownMenu } from "radix-ui";
import { ChevronDown } from "lucide-react";
import { useQuery } from "@tanstack/react-query";
import type { Scene, Study } from "../api/types";
import { keys, useChangeMaps, useScenes, useStudies, useStudy } from "../api/hooks";
import { Button, Sheet, cx } from "../ui/controls";
import { useUi } from "../state/ui";
import { number } from "../lib/format";
import { RunsTray } from "./RunsTray";
import { Notices } from "../ui/notices";
import { isTyping } from "./typing";

/** The mark: before and after overlapping, with one pupil. */
export function Mark({ size = 26 }: { size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden>
      <circle cx="12.5" cy="16" r="9" fill="none" stroke="#3f6aa8" strokeWidth="2.6" />
      <circle cx="19.5" cy="16" r="9" fill="none" stroke="#b9562b" strokeWidth="2.6" />
      <circle cx="16" cy="16" r="3" fill="#1d2a2b" />
    </svg>
  );
}

const STAGES = [
  ["scenes", "Scenes"],
  ["prepare", "Prepare"],
  ["align", "Align"],
  ["compare", "Compare"],
  ["review", "Review"],
  ["tally", "Tally"],
  ["report", "Report"],
] as const;

/** Rows of the board of a family, asked for only where there are scenes for it. */
const useBoard = (id: string, family: "radar" | "optical", there: boolean) =>
  useQuery({
    queryKey: [...keys.prepare(id), family],
    queryFn: () => call(prepareRoutes.board, { params: { id }, query: { family } }),
    enabled: there,
  }).data?.rows ?? [];

/** How far each stage has come, 0–1, and what it still needs. */
function useProgress(id: string): Record<string, { share: number; needs: string }> {
  const scenes = useScenes(id).data ?? [];
  const maps = useChangeMaps(id).data ?? [];
  const study = useStudy(id).data;
  const dates = scenes.filter(
    (scene) => scene.acquiredAt && scene.imageId && scene.info?.type === "float32",
  ).length;
  const products = scenes.some((scene) => scene.info?.sensor && scene.imageId);
  const bands = scenes.some((scene) => scene.info?.optical && scene.imageId);
  const rows = [...useBoard(id, "radar", products), ...useBoard(id, "optical", bands)];
  const inside = rows.filter((row) => row.cells.some((c) => c.state !== "held"));
  const run = inside.filter((r) => r.ready).length;
  const raw = products || bands;
  return {
    scenes: {
      share: Math.min(1, dates / 2),
      needs: dates >= 2 ? "Two dates are there" : "Needs a scene from before and one from after",
    },
    prepare: {
      share: raw ? (inside.length ? run / inside.length : 0) : dates ? 1 : 0,
      needs: !raw
        ? dates
          ? "The scenes are calibrated and on the map already"
          : "Needs scenes"
        : run === inside.length
          ? "Every date is prepared"
          : `${run} of ${inside.length} dates are prepared`,
    },
    align: alignProgress(scenes, study?.align ?? null, dates),
    compare: {
      share: maps.length ? 1 : dates < 2 ? 0 : study?.compare?.setup ? 0.5 : 0.15,
      needs: maps.length
        ? "A change map is written"
        : dates < 2
          ? "Needs two dates"
          : "Needs a change map",
    },
    review: {
      share: maps.length ? 1 : 0,
      needs: maps.length
        ? `${number(maps[0]!.patchCount)} patches of ${maps[0]!.name} can be looked at`
        : "Needs a change map",
    },
    tally: {
      share: maps.length ? 1 : 0,
      needs: maps.length ? "Areas are counted" : "Needs a change map",
    },
    report: {
      share: maps.some((map) => map.files.length) ? 1 : 0,
      needs: maps.length ? "Make the files" : "Needs a change map",
    },
  };
}

/** Pictures need a position; dates with one can be moved and levelled, and need not be. */
function alignProgress(
  scenes: readonly Scene[],
  align: Study["align"],
  dates: number,
): { share: number; needs: string } {
  const lost = scenes.filter(
    (scene) => scene.imageId && scene.info?.grid.crs.code.startsWith("PICTURE:"),
  );
  const placed = lost.filter((scene) => align?.[scene.id]?.place);
  const done = scenes.filter(
    (scene) => align?.[scene.id]?.place ?? align?.[scene.id]?.level,
  ).length;
  return lost.length
    ? {
        share: placed.length / lost.length,
        needs: `${placed.length} of ${lost.length} pictures have a position`,
      }
    : {
        share: dates < 2 ? 0 : done ? 1 : 0.5,
        needs:
          dates < 2
            ? "Needs two dates"
            : done
              ? `${done} ${done === 1 ? "date is" : "dates are"} moved or levelled`
              : "The dates lie as they came; look whether they lie on each other",
      };
}

function StagePath({ id }: { id: string }) {
  const progress = useProgress(id);
  return (
    <nav aria-label="Stages" className="flex items-stretch gap-1">
      {STAGES.map(([path, name]) => (
        <NavLink
          key={path}
          to={`/studies/${id}/${path}`}
          title={progress[path]!.needs}
          className={({ isActive }) =>
            cx(
              "relative flex w-[78px] flex-col items-center justify-center gap-1.5 hover:text-ink",
              isActive
                ? "font-semibold text-ink after:absolute after:inset-x-2 after:bottom-0 after:h-[2px] after:bg-ink"
                : "text-soft",
            )
          }
        >
          <span>{name}</span>
          <span className="h-[3px] w-9 overflow-hidden rounded bg-line" aria-hidden>
            <span
              className="block h-full bg-spruce"
              style={{ width: `${progress[path]!.share * 100}%` }}
            />
          </span>
          <span className="sr-only">{progress[path]!.needs}</span>
        </NavLink>
      ))}
    </nav>
  );
}

function StudyPicker({ id }: { id: string }) {
  const studies = useStudies().data ?? [];
  const study = useStudy(id).data;
  const go = useNavigate();
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="flex h-8 min-w-0 max-w-[260px] items-center gap-2 rounded-field border border-line bg-white px-2.5 hover:border-[#b9b2a0]">
        <span className="truncate font-semibold">{study?.name ?? "Study"}</span>
        {study?.eventAt && (
          <span className="whitespace-nowrap text-label text-soft">
            {new Date(study.eventAt).toLocaleDateString("en-GB", {
              month: "long",
              year: "numeric",
              timeZone: "UTC",
            })}
          </span>
        )}
        <ChevronDown size={14} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          sideOffset={4}
          align="start"
          className="z-50 min-w-56 rounded-card border border-line bg-white py-1 shadow-lg"
        >
          {studies.map((s) => (
            <DropdownMenu.Item
              key={s.id}
              onSelect={() => void go(`/studies/${s.id}/scenes`)}
              className={cx(
                "cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-bone",
                s.id === id && "font-semibold",
              )}
            >
              {s.name}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item
            onSelect={() => void go("/")}
            className="cursor-pointer px-3 py-1.5 text-spruce outline-none data-[highlighted]:bg-bone"
          >
            All studies
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const KEYS: [string, string][] = [
  ["Space (hold)", "Glance at the before side; in Prepare at what went into the step"],
  ["1 2 3 4", "Pair, Curtain, Blend, One"],
  ["[ and ]", "Move the after handle to the scene before or after it"],
  ["← →", "On a handle, threshold or curtain: move it; with Shift ten times as far"],
  ["J and K", "In Review: the next and the previous patch"],
  ["+ − and arrows", "On the map: zoom and move"],
  ["arrows", "On the board of Prepare: from cell to cell; Enter picks"],
  ["Ctrl Z, Ctrl Shift Z", "Undo, redo (in Prepare: undo)"],
  ["Enter / Esc", "In a number: take it / leave it"],
  ["?", "This list"],
];

function Help() {
  const open = useUi((s) => s.helpOpen);
  const set = useUi((s) => s.setHelp);
  return (
    <Sheet open={open} onOpenChange={set} title="Keys">
      <dl className="grid grid-cols-[150px_1fr] gap-y-2">
        {KEYS.map(([k, what]) => (
          <div key={k} className="contents">
            <dt className="font-mono text-[12px]">{k}</dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
    </Sheet>
  );
}

/** Keys that work wherever one does not type. */
function useFrameKeys(): void {
  const { setHelp, setView, setGlancing } = useUi.getState();
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      if (isTyping(e) || e.ctrlKey || e.metaKey || e.altKey) {
        return;
      }
      if (e.key === "?") {
        e.preventDefault();
        setHelp(true);
      }
      const view = ({ 1: "pair", 2: "curtain", 3: "blend", 4: "one" } as const)[e.key as "1"];
      if (view) {
        setView(view);
      }
      // A focused button takes Space for itself; only a map or the page glances.
      if (
        e.code === "Space" &&
        !(e.target as HTMLElement).closest("button, a, [role=radio], [role=slider], [role=dialog]")
      ) {
        e.preventDefault();
        setGlancing(true);
      }
    };
    const up = (e: KeyboardEvent) => {
      if (e.code === "Space") {
        setGlancing(false);
      }
    };
    const off = () => setGlancing(false);
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", off);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", off);
    };
  }, [setHelp, setView, setGlancing]);
}

/** What is around every page: the mark, the study, the stages, the runs. */
export function Frame({ children }: { children: ReactNode }) {
  const { id } = useParams();
  useFrameKeys();
  return (
    <div className="flex h-full min-w-[1080px] flex-col">
      <header className="grid h-[46px] shrink-0 grid-cols-[1fr_auto_1fr] border-b border-line bg-paper px-3.5">
        <div className="flex min-w-0 items-center gap-3">
          <Link
            to="/"
            className="flex shrink-0 items-center gap-2 whitespace-nowrap text-[15px] font-bold"
          >
            <Mark />
            Hind Glance
          </Link>
          {id && <StudyPicker id={id} />}
        </div>
        {id ? <StagePath id={id} /> : <span />}
        <div className="flex items-center justify-end gap-2">
          <RunsTray />
          <Button
            aria-label="Keys"
            onClick={() => useUi.getState().setHelp(true)}
            className="w-8 px-0"
          >
            ?
          </Button>
        </div>
      </header>
      {children}
      <Help />
      <Notices />
    </div>
  );
}

/**
 * Picture on the left with the time strip below it, one desk on the right whose width can be
 * dragged.
 */
export function Workspace({
  picture,
  strip,
  desk,
  footer,
  label,
}: {
  picture: ReactNode;
  strip: ReactNode;
  desk: ReactNode;
  footer?: ReactNode;
  label: string;
}) {
  const width = useUi((s) => s.deskWidth);
  const set = useUi((s) => s.setDeskWidth);
  return (
    <main className="flex min-h-0 flex-1">
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="on-night relative min-h-0 flex-1 bg-night">{picture}</div>
        {strip}
      </div>
      <div
        role="separator"
        aria-label="Width of the desk"
        aria-orientation="vertical"
        aria-valuenow={width}
        aria-valuemin={320}
        aria-valuemax={560}
        tabIndex={0}
        className="w-[5px] shrink-0 cursor-col-resize border-l border-line bg-paper hover:bg-line"
        onKeyDown={(e) => {
          if (e.key === "ArrowLeft") {
            set(width + 16);
          }
          if (e.key === "ArrowRight") {
            set(width - 16);
          }
        }}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => {
          if (e.buttons) {
            set(window.innerWidth - e.clientX);
          }
        }}
      />
      <aside aria-label={label} style={{ width }} className="flex shrink-0 flex-col bg-paper">
        <div
          role="region"
          aria-label={`${label}: settings`}
          tabIndex={0}
          className="min-h-0 flex-1 overflow-y-auto outline-offset-[-2px]"
        >
          {desk}
        </div>
        {footer && <div className="shrink-0 border-t border-line px-4 py-3">{footer}</div>}
      </aside>
    </main>
  );
}

/** A part of the desk with its title. */
export function Section({
  title,
  right,
  children,
  className,
}: {
  title?: ReactNode;
  right?: ReactNode;
  children: ReactNode;
  className?: string;
}) {
  return (
    <section className={cx("border-b border-line px-4 py-3 last:border-b-0", className)}>
      {(title || right) && (
        <div className="mb-2 flex items-center justify-between gap-3">
          <h2 className="text-label text-soft">{title}</h2>
          {right}
        </div>
      )}
      {children}
    </section>
  );
}
