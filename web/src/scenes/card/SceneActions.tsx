import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { seriesOf } from "@hindglance/core/chain/comparable";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import type { Scene, Study } from "../../api/types";
import { useUi } from "../../state/ui";
import { OverTime } from "../../time/OverTime";
import { Button } from "../../ui/Button";
import { Confirm } from "../../ui/Confirm";
import { Join } from "../Join";

interface Props {
  study: Study;
  scenes: readonly Scene[];
  scene: Scene;
}

/** Removes a scene, joins it with its neighbours, or puts its series into one over time. */
export function SceneActions({ study, scenes, scene }: Props) {
  const queryClient = useQueryClient();
  const [dying, setDying] = useState(false);
  const remove = useMutation({
    mutationFn: () => call(sceneRoutes.remove, { params: { id: scene.id } }),
    onSuccess: () => {
      void queryClient.invalidateQueries({ queryKey: keys.scenes(scene.studyId) });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const series = seriesOf(scene, scenes);
  return (
    <>
      <div className="mt-3 flex gap-2">
        <Button onClick={() => setDying(true)}>Remove scene</Button>
        <Join scene={scene} scenes={scenes} />
        <OverTime
          key={scene.id}
          study={study}
          days={series.map(({ acquiredAt }) => acquiredAt!.slice(0, 10))}
          isPower={
            scene.info?.bands.some(({ role }) => role === "power" || role === "decibel") ?? false
          }
          first="median"
          of={`the ${series.length} scenes with the bands and cells of this one`}
          ask={(asked) =>
            call(sceneRoutes.overTime, {
              params: { id: study.id },
              body: { ...asked, like: scene.id },
            })
          }
        />
      </div>
      <Confirm
        open={dying}
        onOpenChange={setDying}
        title={`Remove “${scene.name}”?`}
        act="Remove the scene"
        onAct={() => remove.mutate()}
        text="Change maps that were made from it stay, with the file's checksum in their provenance. The scene itself must be imported again if it is needed."
      />
    </>
  );
}
