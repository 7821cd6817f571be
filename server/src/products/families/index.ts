import type { Family } from "@hindglance/core/chain/family";
import type { FamilyHouse } from "./house";
import { optical } from "./optical";
import { radar } from "./radar";

export { type ChainInputs, type FamilyHouse, type ReadyScene, isReady } from "./house";

/** What the server knows of each sensor family. */
export const HOUSES: Record<Family, FamilyHouse> = { radar, optical };
