import { useQuery } from "@tanstack/react-query";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import type { ChangeMap } from "../api/types";

/** The outline of a patch; nothing while it is not known, or none is asked for. */
export const useOutlineOf = (map: ChangeMap, patch: number | null, enabled = true) =>
  useQuery({
    queryKey: ["outline", map.id, patch],
    queryFn: () => call(changeMapRoutes.outline, { params: { id: map.id, number: String(patch) } }),
    enabled: enabled && patch !== null,
    staleTime: Infinity,
  }).data;
