import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Scene } from "../api/types";
import { dayYear, time } from "../lib/format";
import { Button } from "../ui/Button";
import { Problem } from "../ui/Messages";
import { Pop } from "../ui/Pop";

const DAY = 864e5;
/**
 * Scenes that may be frames of the same pass or tiles of the same date: same kind, less than a day
 * apart. The server looks closer.
 */
export const partners = (scene: Scene, all: readonly Scene[]): Scene[] =>
  all.filter(
    (x) =>
      x.id !== scene.id &&
      x.kind === scene.kind &&
      x.imageId !== null &&
      !x.info?.sensor === !scene.info?.sensor &&
      (x.acquiredAt && scene.acquiredAt
        ? Math.abs(Date.parse(x.acquiredAt) - Date.parse(scene.acquiredAt)) < DAY
        : x.acquiredAt === scene.acquiredAt) &&
      (x.detail.absoluteOrbit == null || x.detail.absoluteOrbit === scene.detail.absoluteOrbit),
  );

/** Sends scenes to be joined into one. */
function useJoin(studyId: string, onDone: () => void) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (sceneIds: string[]) =>
      call(sceneRoutes.join, { params: { id: studyId }, body: { sceneIds } }),
    onSuccess: () => {
      onDone();
      for (const queryKey of [keys.scenes(studyId), keys.runs]) {
        void queryClient.invalidateQueries({ queryKey });
      }
    },
  });
}

/**
 * Joins a scene with neighbouring frames of its pass, or with tiles of its date. Shown only where
 * there are any.
 */
export function Join({ scene, scenes }: { scene: Scene; scenes: readonly Scene[] }) {
  const others = partners(scene, scenes);
  const [open, setOpen] = useState(false);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const join = useJoin(scene.studyId, () => setOpen(false));
  const chosen = others.filter((other) => !left.has(other.id));
  const turn = (id: string) =>
    setLeft(left.has(id) ? new Set([...left].filter((one) => one !== id)) : new Set(left).add(id));
  if (others.length === 0) {
    return null;
  }
  return (
    <Pop
      label="Join scenes"
      width={320}
      open={open}
      onOpenChange={(isOpen) => {
        setOpen(isOpen);
        join.reset();
      }}
      trigger={<Button>Join with …</Button>}
    >
      <h2 className="mb-1">Join into one scene</h2>
      <p className="mb-2 text-label text-soft">
        {scene.info?.sensor
          ? "Neighbouring frames of one pass become one product."
          : "Tiles of one date become one image; where they overlap the first one counts."}{" "}
        The joined scene takes the place of its parts.
      </p>
      <ul className="mb-2 space-y-1">
        {others.map((other) => (
          <Partner
            key={other.id}
            scene={other}
            chosen={!left.has(other.id)}
            turn={() => turn(other.id)}
          />
        ))}
      </ul>
      {join.error && (
        <div className="mb-2">
          <Problem>{sayError(join.error)}</Problem>
        </div>
      )}
      <div className="flex justify-end">
        <Button
          tone="act"
          disabled={chosen.length === 0 || join.isPending}
          onClick={() => join.mutate([scene.id, ...chosen.map(({ id }) => id)])}
        >
          Join {chosen.length + 1} scenes
        </Button>
      </div>
    </Pop>
  );
}

function Partner({ scene, chosen, turn }: { scene: Scene; chosen: boolean; turn(): void }) {
  return (
    <li>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={chosen} onChange={turn} />
        <span className="min-w-0">
          <span className="block truncate font-medium">{scene.name}</span>
          {scene.acquiredAt && (
            <span className="block text-label text-soft">
              {dayYear(scene.acquiredAt)}, {time(scene.acquiredAt)}
            </span>
          )}
        </span>
      </label>
    </li>
  );
}
