import { readFileSync } from "node:fs";
import { isDay, isMoment } from "@hindglance/contract/shapes";
import { modelFrom } from "@hindglance/core/classify/modelText";
import { EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import { messageOf } from "@hindglance/core/errors";
import type { VerticalDatum } from "@hindglance/core/graph/image";
import type { AskedPair } from "./asked";
import { withKnown } from "./known";
import { UsageError } from "./usageError";

/** What heights may be above. */
const DATUMS: readonly VerticalDatum[] = ["ellipsoid", "egm96", "egm2008"];

/**
 * When a product was taken, as it was typed: a day is its first moment.
 * @throws UsageError naming the option
 */
export function momentIn(option: string, said: string | undefined): string | null {
  if (!said) {
    return null;
  }
  const moment = isDay(said) ? `${said}T00:00:00Z` : said;
  if (!isMoment(moment)) {
    throw new UsageError(
      `--${option}: “${said}” is neither a day such as 2025-05-02 nor a UTC time such as 2025-05-02T18:41:10Z`,
    );
  }
  return moment;
}

/** What heights are above, as it was typed. @throws UsageError */
export function datumIn(said: string | undefined): VerticalDatum | null {
  const found = DATUMS.find((one) => one === said);
  if (said && !found) {
    throw new UsageError(`--heights is one of ${DATUMS.join(", ")}, not “${said}”`);
  }
  return found ?? null;
}

/**
 * Reads the files that tell classes, before anything is sent: what is wrong with one is said at once.
 * @throws UsageError naming the file and what it lacks
 */
export function requireTaught({ known, model }: Pick<AskedPair, "known" | "model">): void {
  // Any names of dates will do: the files do not say them.
  const dates = {
    beforeId: "00000000-0000-4000-8000-000000000001",
    afterId: "00000000-0000-4000-8000-000000000002",
  };
  try {
    withKnown(EMPTY_CLASSIFY, known, dates);
  } catch (error) {
    throw new UsageError(`--known: ${messageOf(error)}`);
  }
  try {
    if (model) {
      modelFrom(readFileSync(model, "utf8"));
    }
  } catch (error) {
    throw new UsageError(`--model: ${model} is no model: ${messageOf(error)}`);
  }
}
