import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { sceneRoutes } from "@hindglance/contract/scenes";
import type { VerticalDatum } from "@hindglance/core/graph/image";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import type { Scene } from "../../api/types";
import { useUi } from "../../state/ui";
import { Labelled } from "../../ui/Labelled";
import { Warning } from "../../ui/Messages";
import { Pick } from "../../ui/Pick";
import { VERTICALS } from "../vertical";

const LABEL = "Heights are counted from";

/** What the heights of an elevation scene are counted from. */
export function VerticalField({ scene }: { scene: Scene }) {
  const queryClient = useQueryClient();
  const { vertical } = scene.info!.bands[0]!;
  const { data } = useQuery({
    queryKey: [...keys.datum(scene.id), vertical],
    queryFn: () => call(sceneRoutes.datum, { params: { id: scene.id } }),
    staleTime: Infinity,
  });
  const change = useMutation({
    mutationFn: (value: VerticalDatum | null) =>
      call(sceneRoutes.update, { params: { id: scene.id }, body: { vertical: value } }),
    onSuccess: () => {
      for (const key of [keys.scenes, keys.prepare, keys.sides]) {
        void queryClient.invalidateQueries({ queryKey: key(scene.studyId) });
      }
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return (
    <div className="mt-3">
      <Labelled
        label={LABEL}
        hint={
          vertical
            ? undefined
            : "Not known: taken as the ellipsoid. Places on the map lie off by up to 100 m if that is wrong."
        }
      >
        {(id) => (
          <Pick
            id={id}
            label={LABEL}
            value={vertical ?? "unknown"}
            onChange={(value) => change.mutate(value === "unknown" ? null : value)}
            options={VERTICALS}
          />
        )}
      </Labelled>
      {data?.doubt && (
        <div className="mt-2">
          <Warning>{data.doubt}</Warning>
        </div>
      )}
    </div>
  );
}
