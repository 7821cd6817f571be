import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import type { Scene } from "../../api/types";
import { useUi } from "../../state/ui";
import { FileButton } from "../../ui/FileButton";

/** Names and colours of the classes of a scene from a style (SLD) or a table. */
export function ClassNames({ scene }: { scene: Scene }) {
  const queryClient = useQueryClient();
  const name = useMutation({
    mutationFn: async (file: File) =>
      call(sceneRoutes.nameClasses, {
        params: { id: scene.id },
        body: { file: file.name, text: await file.text() },
      }),
    onSuccess: ({ info }, file) => {
      useUi.getState().say(`${info?.classes?.length ?? 0} classes by ${file.name}.`);
      return queryClient.invalidateQueries({ queryKey: keys.scenes(scene.studyId) });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return (
    <div className="mt-3">
      <FileButton
        label="File of class names"
        accept=".sld,.xml,.csv,.txt"
        disabled={name.isPending}
        onFile={(file) => name.mutate(file)}
      >
        Name classes from a file …
      </FileButton>
      <p className="mt-1 text-label text-soft">
        A style (SLD) with a colour map, or a CSV: value, name, colour.
      </p>
    </div>
  );
}
