import { useQuery } from "@tanstack/react-query";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import type { ChangeMap } from "../api/types";

/** Classes of a map as it was written. */
export const useMapNode = ({ id }: ChangeMap, enabled = true) =>
  useQuery({
    queryKey: ["mapNode", id],
    queryFn: () => call(changeMapRoutes.node, { params: { id } }),
    staleTime: Infinity,
    enabled,
  });
