import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Layers, X } from "lucide-react";
import { sayError } from "../api/client";
import { keys, useZones } from "../api/hooks";
import { useUi } from "../state/ui";

/** Layers of zones that areas are counted in. */
export function ZoneList({ studyId }: { studyId: string }) {
  const queryClient = useQueryClient();
  const zones = useZones(studyId).data ?? [];
  const remove = useMutation({
    mutationFn: (id: string) => call(sceneRoutes.removeZones, { params: { id } }),
    onSuccess: () => void queryClient.invalidateQueries({ queryKey: keys.zones(studyId) }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const lay = useMutation({
    mutationFn: (id: string) => call(sceneRoutes.overlayOfZones, { params: { id } }),
    onSuccess: () => void queryClient.invalidateQueries({ queryKey: keys.overlays(studyId) }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return zones.map((zone) => (
    <div
      key={zone.id}
      className="mt-1 flex items-center justify-between gap-2 border-t border-line pt-2"
    >
      <span>
        <span className="font-medium">{zone.name}</span>{" "}
        <span className="text-label text-soft">
          {zone.features} zones, named by “{zone.nameField}”
        </span>
      </span>
      <button
        type="button"
        title="Lay over every map"
        aria-label={`Lay ${zone.name} over every map`}
        className="ml-auto text-soft hover:text-ink"
        onClick={() => lay.mutate(zone.id)}
      >
        <Layers size={14} aria-hidden />
      </button>
      <button
        type="button"
        aria-label={`Remove zones ${zone.name}`}
        className="text-soft hover:text-wrong"
        onClick={() => remove.mutate(zone.id)}
      >
        <X size={14} aria-hidden />
      </button>
    </div>
  ));
}
