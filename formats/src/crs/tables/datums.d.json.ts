import type { DatumRow } from "../systems";

/** Geographic systems by their codes. */
declare const datums: Record<string, DatumRow>;
export default datums;
