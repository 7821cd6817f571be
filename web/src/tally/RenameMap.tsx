import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Pencil } from "lucide-react";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { ChangeMap } from "../api/types";
import { Button } from "../ui/Button";
import { Labelled, inputStyle } from "../ui/Labelled";
import { Problem } from "../ui/Messages";
import { Pop } from "../ui/Pop";

/** Gives a change map a name of its own. */
export function RenameMap({ map }: { map: ChangeMap }) {
  const queryClient = useQueryClient();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState(map.name);
  const rename = useMutation({
    mutationFn: () => call(changeMapRoutes.rename, { params: { id: map.id }, body: { name } }),
    onSuccess: () => {
      setOpen(false);
      void queryClient.invalidateQueries({ queryKey: keys.maps(map.studyId) });
    },
  });
  return (
    <Pop
      label="Name of the change map"
      width={320}
      open={open}
      onOpenChange={(isOpen) => {
        setName(map.name);
        rename.reset();
        setOpen(isOpen);
      }}
      trigger={
        <Button tone="quiet" className="h-6 px-1.5" aria-label="Rename the change map">
          <Pencil size={13} aria-hidden />
        </Button>
      }
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          rename.mutate();
        }}
      >
        <Labelled label="Name of the change map">
          {(id) => (
            <input
              id={id}
              className={inputStyle}
              maxLength={120}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Labelled>
        {rename.error && (
          <div className="mb-2">
            <Problem>{sayError(rename.error)}</Problem>
          </div>
        )}
        <div className="flex justify-end">
          <Button tone="act" type="submit" disabled={!name.trim() || rename.isPending}>
            Rename
          </Button>
        </div>
      </form>
    </Pop>
  );
}
