import type { SystemRow } from "../systems";

/** Systems of the registry by their codes. */
declare const systems: Record<string, SystemRow>;
export default systems;
