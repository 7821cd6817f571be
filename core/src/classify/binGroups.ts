/** Cells whose bins lie together, band by band: so the kernels read sixteen of them at once. */
export const GROUP = 16;

/** A number of cells in whole groups. */
export const inGroups = (n: number): number => (n + GROUP - 1) & ~(GROUP - 1);
