import { useQuery } from '@tanstack/react-query';
import type { Histogram } from '@hindglance/core/raster/histogram';
import { api } from '../api/client';
import type { FieldBox } from './StepPicture';

export interface Field { cells: number; mean: number; deviation: number; looks: number | null; unit: string; histogram: Histogram; sampled: boolean }

/** Figures of a marked field, or of the whole image, of one node. */
export function useField(hash: string | null, window: FieldBox | null): Field | null {
  return useQuery({ queryKey: ['field', hash, window], queryFn: () => api<Field>('POST', '/fields', { hash, window }), enabled: !!hash, staleTime: Infinity, retry: false }).data ?? null;
}
