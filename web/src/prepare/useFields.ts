import { useQueries, useQuery } from "@tanstack/react-query";
import type { Histogram } from "@hindglance/core/raster/histogram";
import { api } from "../api/client";
import type { FieldBox } from "./StepPicture";

export interface Field {
  cells: number;
  mean: number;
  deviation: number;
  looks: number | null;
  unit: string;
  histogram: Histogram;
  sampled: boolean;
}

const fieldQuery = (hash: string | null, window: FieldBox | null, band: number) => ({
  queryKey: ["field", hash, window, band],
  queryFn: () => api<Field>("POST", "/fields", { hash, window, band }),
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
    queries: bands.map((b) => fieldQuery(hash, window, b)),
    combine: (all) => all.map((answer) => answer.data ?? null),
  });
