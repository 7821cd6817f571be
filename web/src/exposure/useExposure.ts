import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ExposureAsk, exposureRoutes } from "@hindglance/contract/exposure";
import { call } from "../api/call";
import { useBegun } from "../api/useBegun";
import type { ChangeMap } from "../api/types";

const keyOf = (map: string) => ["exposure", map] as const;

/** Who and what lies under the classes of a map, as it was counted last; null where it was not. */
export const useExposure = ({ id }: ChangeMap) =>
  useQuery({
    queryKey: keyOf(id),
    queryFn: async () => (await call(exposureRoutes.find, { params: { id } })).exposure,
  });

/** Counts it, in a run. */
export function useCount({ id }: ChangeMap) {
  const queryClient = useQueryClient();
  const begin = (body: ExposureAsk) => call(exposureRoutes.count, { params: { id }, body });
  const { begin: count, isBusy } = useBegun(begin, () =>
    queryClient.invalidateQueries({ queryKey: keyOf(id) }),
  );
  return { count, isBusy };
}
