import { useMemo } from "react";
import type { Sample, SampleResult } from "@hindglance/contract/accuracy";
import { type Outcome, wholeOutcome } from "@hindglance/core/accuracy/outcome";
import type { ChangeMap } from "../api/types";
import { number } from "../lib/format";
import { useSampleResult, useSamples } from "./useSamples";

/** The sample that tells how right a map is, and what it tells. */
export interface Tested {
  sample: Sample;
  result: SampleResult;
  outcome: Outcome;
}

/** The newest sample of a map that somebody looked at; null without one, undefined while it is asked for. */
export function useTested(map: ChangeMap): Tested | null | undefined {
  const samples = useSamples(map).data;
  const sample = samples?.find(({ interpreters }) => interpreters.length > 0);
  const result = useSampleResult(sample?.id ?? null).data;
  return useMemo(() => {
    if (samples && !sample) {
      return null;
    }
    return sample && result ? { sample, result, outcome: wholeOutcome(sample, result) } : undefined;
  }, [samples, sample, result]);
}

/** A sample by its name, with how much of it was looked at where that is not all. */
export function sampleText({ sample: { name, places }, result: { open } }: Tested): string {
  return open > 0 ? `${name}, ${number(places - open)} of ${number(places)} places` : name;
}
