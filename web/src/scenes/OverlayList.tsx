import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Eye, EyeOff, X } from "lucide-react";
import { type Overlay, sceneRoutes } from "@hindglance/contract/scenes";
import type { RequestOf } from "@hindglance/contract/route";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { keys, useOverlays } from "../api/hooks";
import { number } from "../lib/format";
import { useUi } from "../state/ui";
import { Pick } from "../ui/Pick";

type Change = RequestOf<typeof sceneRoutes.updateOverlay>["body"];

/** Changes and removes overlays of a study. */
function useChanges(studyId: string) {
  const queryClient = useQueryClient();
  const again = {
    onSuccess: () => void queryClient.invalidateQueries({ queryKey: keys.overlays(studyId) }),
    onError: (error: Error) => useUi.getState().say(sayError(error), "wrong"),
  };
  const change = useMutation({
    mutationFn: ({ id, body }: { id: string; body: Change }) =>
      call(sceneRoutes.updateOverlay, { params: { id }, body }),
    ...again,
  });
  const remove = useMutation({
    mutationFn: (id: string) => call(sceneRoutes.removeOverlay, { params: { id } }),
    ...again,
  });
  return { change: change.mutate, remove: remove.mutate };
}

/** Features that lie over every map: shown or not, in which colour, and what is written beside them. */
export function OverlayList({ studyId }: { studyId: string }) {
  const overlays = useOverlays(studyId).data ?? [];
  const { change, remove } = useChanges(studyId);
  return overlays.map((overlay) => (
    <OverlayRow
      key={overlay.id}
      overlay={overlay}
      onChange={(body) => change({ id: overlay.id, body })}
      onRemove={() => remove(overlay.id)}
    />
  ));
}

/** A value of the list for a property, and for none. */
const asValue = (field: string | null): string => (field === null ? "-" : `=${field}`);

function OverlayRow({
  overlay: { name, features, color, shown, labelField, fields },
  onChange,
  onRemove,
}: {
  overlay: Overlay;
  onChange(body: Change): void;
  onRemove(): void;
}) {
  const labels = [null, ...fields].map((field) => ({
    value: asValue(field),
    name: field ?? "no label",
  }));
  return (
    <div className="mt-1 flex items-center gap-2 border-t border-line pt-2">
      <input
        type="color"
        aria-label={`Colour of ${name}`}
        className="h-5 w-5 shrink-0 cursor-pointer rounded border border-line bg-transparent p-0"
        value={color}
        onChange={(event) => onChange({ color: event.target.value })}
      />
      <span className="min-w-0 flex-1">
        <span className="block truncate font-medium" title={name}>
          {name}
        </span>
        <span className="block truncate text-label text-soft">
          overlay, {number(features)} {features === 1 ? "feature" : "features"}
        </span>
      </span>
      {fields.length > 0 && (
        <Pick
          label={`Label of ${name}`}
          className="h-7 w-[104px] shrink-0 text-label"
          value={asValue(labelField)}
          onChange={(value: string) =>
            onChange({ labelField: value === asValue(null) ? null : value.slice(1) })
          }
          options={labels}
        />
      )}
      <button
        type="button"
        aria-label={shown ? `Hide ${name}` : `Show ${name}`}
        aria-pressed={shown}
        className="text-soft hover:text-ink"
        onClick={() => onChange({ shown: !shown })}
      >
        {shown ? <Eye size={15} aria-hidden /> : <EyeOff size={15} aria-hidden />}
      </button>
      <button
        type="button"
        aria-label={`Remove overlay ${name}`}
        className="text-soft hover:text-wrong"
        onClick={onRemove}
      >
        <X size={14} aria-hidden />
      </button>
    </div>
  );
}
