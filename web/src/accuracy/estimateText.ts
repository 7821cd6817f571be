import type { Estimate } from "@hindglance/core/accuracy/estimates";
import { km2, number } from "@hindglance/core/text/number";

export { km2 } from "@hindglance/core/text/number";

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

/** An area in square kilometres with its interval, of square metres; a dash where there is none. */
export function areaText(area: Pick<Estimate, "value" | "low" | "high"> | null): string {
  if (!area) {
    return "–";
  }
  const { value, low, high } = area;
  return low === null || high === null ? km2(value) : `${km2(value)} (${km2(low)}–${km2(high)})`;
}
