/** A moment as the interface and the provenance write it: UTC with milliseconds. */
export const iso = (moment: string | Date): string => new Date(moment).toISOString();
