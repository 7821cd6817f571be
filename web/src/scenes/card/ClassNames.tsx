import { useRef } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import type { Scene } from "../../api/types";
import { useUi } from "../../state/ui";
import { Button } from "../../ui/Button";

/** Names and colours of the classes of a scene from a style (SLD) or a table. */
export function ClassNames({ scene }: { scene: Scene }) {
  const queryClient = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
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
      <Button disabled={name.isPending} onClick={() => input.current?.click()}>
        Name classes from a file …
      </Button>
      <p className="mt-1 text-label text-soft">
        A style (SLD) with a colour map, or a CSV: value, name, colour.
      </p>
      <input
        ref={input}
        type="file"
        accept=".sld,.xml,.csv,.txt"
        aria-label="File of class names"
        className="hidden"
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          if (file) {
            name.mutate(file);
          }
          event.target.value = "";
        }}
      />
    </div>
  );
}
