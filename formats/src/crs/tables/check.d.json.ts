/** Places in systems by their codes, and where proj-bin has them, in degrees. */
declare const check: Record<string, [x: number, y: number, lon: number, lat: number][]>;
export default check;
