import type { Run, Scene, Study } from "../api/types";
import { dayYear } from "../lib/format";
import { Bar } from "../ui/Bar";
import { cx } from "../ui/cx";
import { nameApart } from "./apart";

type Side = "before" | "after" | null;

const sideOf = (scene: Scene, study: Study): Side => {
  if (scene.id === study.compare?.beforeId) {
    return "before";
  }
  return scene.id === study.compare?.afterId ? "after" : null;
};

/** What a scene holds, or how far its import is. */
function contentOf(scene: Scene, run: Run | undefined): string {
  const { imageId, info, kind } = scene;
  if (!imageId || !info) {
    return run ? `${run.doing}, ${Math.round(run.progress * 100)} %` : "waiting";
  }
  return kind === "optical"
    ? `${info.bands.filter((band) => band.role !== "quality").length} bands`
    : info.bands.map((band) => band.polarisation ?? band.name).join(", ");
}

const MARK: Record<"before" | "after" | "none", string> = {
  before: "border-before bg-before",
  after: "border-after bg-after",
  none: "border-ink",
};

function SceneLine({
  scene,
  name,
  side,
  run,
  isPicked,
  onPick,
}: {
  scene: Scene;
  name: string;
  side: Side;
  run: Run | undefined;
  isPicked: boolean;
  onPick(): void;
}) {
  return (
    <button
      type="button"
      aria-current={isPicked}
      onClick={onPick}
      className={cx(
        "flex w-full items-center gap-2.5 rounded-field px-2 py-1.5 text-left",
        isPicked ? "bg-bone" : "hover:bg-bone/60",
      )}
    >
      <span
        aria-hidden
        className={cx(
          "h-2.5 w-2.5 shrink-0 border-[1.5px]",
          scene.kind === "radar" ? "rotate-45" : "rounded-full",
          MARK[side ?? "none"],
        )}
      />
      <span className="min-w-0 flex-1">
        <span className="block truncate font-medium">{name}</span>
        <span className="block text-label text-soft">
          {scene.acquiredAt ? dayYear(scene.acquiredAt) : "no date"} · {contentOf(scene, run)}
          {side && (
            <>
              {" · "}
              <b className={side === "before" ? "text-beforeink" : "text-afterink"}>{side}</b>
            </>
          )}
        </span>
      </span>
    </button>
  );
}

/** The scenes of a study that the filter leaves. */
export function SceneList({
  study,
  scenes,
  runs,
  tags,
  pickedId,
  onPick,
}: {
  study: Study;
  scenes: readonly Scene[];
  runs: readonly Run[];
  /** What tells scenes of one name apart. */
  tags: ReadonlyMap<string, string>;
  pickedId: string | null;
  onPick(id: string): void;
}) {
  return (
    <ul className="-mx-2 max-h-[286px] overflow-y-auto" aria-label="Scenes" tabIndex={-1}>
      {scenes.map((scene) => {
        const run = runs.find((one) => one.id === scene.runId && one.state === "running");
        return (
          <li key={scene.id}>
            <SceneLine
              scene={scene}
              name={nameApart(scene, tags)}
              side={sideOf(scene, study)}
              run={run}
              isPicked={scene.id === pickedId}
              onPick={() => onPick(scene.id)}
            />
            {run && (
              <div className="px-2 pb-1">
                <Bar share={run.progress} label={`Importing ${scene.name}`} />
              </div>
            )}
          </li>
        );
      })}
    </ul>
  );
}
