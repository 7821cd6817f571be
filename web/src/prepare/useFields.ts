import { prepareRoutes } from "@hindglance/contract/prepare";
import type { AnswerOf } from "@hindglance/contract/route";
import { useQueries, useQuery } from "@tanstack/react-query";
import { call } from "../api/call";

/** Cells of an image that somebody has marked. */
export interface FieldBox {
  col: number;
  row: number;
  width: number;
  height: number;
}
/** Figures of a band over a field. */
export type Field = AnswerOf<typeof prepareRoutes.field>;

const fieldQuery = (hash: string | null, window: FieldBox | null, band: number) => ({
  queryKey: ["field", hash, window, band],
  queryFn: () => call(prepareRoutes.field, { body: { hash: hash!, window, band } }),
  enabled: !!hash,
  staleTime: Infinity,
  retry: false,
});

/** Figures of a marked field, or of the whole image, of one band of a node. */
export const useField = (hash: string | null, window: FieldBox | null, band = 0): Field | null =>
  useQuery(fieldQuery(hash, window, band)).data ?? null;

/** The same of several bands. */
export const useFields = (
  hash: string | null,
  window: FieldBox | null,
  bands: readonly number[],
): (Field | null)[] =>
  useQueries({
    queries: bands.map((band) => fieldQuery(hash, window, band)),
    combine: (all) => all.map((answer) => answer.data ?? null),
  });
