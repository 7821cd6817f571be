import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { Scene } from "../api/types";
import { dayYear, time } from "../lib/format";
import { Button, Pop, Problem } from "../ui/controls";

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

/**
 * Joins a scene with neighbouring frames of its pass, or with tiles of its date. Shown only where
 * there are any.
 */
export function Join({ scene, scenes }: { scene: Scene; scenes: readonly Scene[] }) {
  const queryClient = useQueryClient();
  const others = partners(scene, scenes);
  const [open, setOpen] = useState(false);
  const [left, setLeft] = useState<Set<string>>(new Set());
  const chosen = others.filter((other) => !left.has(other.id));
  const join = useMutation({
    mutationFn: () =>
      call(sceneRoutes.join, {
        params: { id: scene.studyId },
        body: { sceneIds: [scene.id, ...chosen.map((s) => s.id)] },
      }),
    onSuccess: () => {
      setOpen(false);
      for (const key of [keys.scenes(scene.studyId), keys.runs]) {
        void queryClient.invalidateQueries({ queryKey: key });
      }
    },
  });
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
          <li key={other.id}>
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={!left.has(other.id)}
                onChange={() =>
                  setLeft((names) => {
                    const n = new Set(names);
                    if (!n.delete(other.id)) {
                      n.add(other.id);
                    }
                    return n;
                  })
                }
              />
              <span className="min-w-0">
                <span className="block truncate font-medium">{other.name}</span>
                {other.acquiredAt && (
                  <span className="block text-label text-soft">
                    {dayYear(other.acquiredAt)}, {time(other.acquiredAt)}
                  </span>
                )}
              </span>
            </label>
          </li>
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
          onClick={() => join.mutate()}
        >
          Join {chosen.length + 1} scenes
        </Button>
      </div>
    </Pop>
  );
}
