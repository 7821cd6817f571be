import type { BandInfo } from "../../graph/image";

/** Whether a band is the normalised burn ratio, of which loss is the usual measure. */
export const isBurnRatio = (band: BandInfo): boolean => /nbr/i.test(band.name);
