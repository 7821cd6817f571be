import type { Estimate } from "@hindglance/core/accuracy/estimates";
import { number } from "../lib/format";

/** A share in percent with its interval; a dash where there is none. */
export function shareText(estimate: Estimate | null, decimals = 1): string {
  if (!estimate) {
    return "–";
  }
  const { value, low, high } = estimate;
  const said = number(100 * value, decimals);
  return low === null || high === null
    ? said
    : `${said} (${number(100 * low, decimals)}–${number(100 * high, decimals)})`;
}
