import type { SampleResult } from "@hindglance/contract/accuracy";
import { agreementOn, settled } from "@hindglance/core/accuracy/looks";
import type { Count } from "@hindglance/core/accuracy/sample";
import type { Client } from "../db/pool";
import { type SeenPlace, areaCounts, seenPlaces, zoneStrata } from "../db/samples";

/** How far each two who looked at a sample agree. */
function agreements(places: readonly SeenPlace[]): SampleResult["agreement"] {
  const names = [...new Set(places.flatMap(({ looks }) => looks.map((one) => one.interpreter)))];
  names.sort();
  return names.flatMap((first, k) =>
    names.slice(k + 1).map((second) => {
      const pairs = places.flatMap(({ looks }) => {
        const [one, other] = [first, second].map(
          (name) => looks.find(({ interpreter }) => interpreter === name)?.label ?? null,
        );
        return one === null || other === null ? [] : [[one!, other!] as const];
      });
      const { patches, ...rest } = agreementOn(pairs);
      return { interpreters: [first, second] as [string, string], places: patches, ...rest };
    }),
  );
}

/** What came of looking at the places of a sample, by all who looked. */
function resultOf(places: readonly SeenPlace[]): Omit<SampleResult, "zones"> {
  const counts = new Map<string, SampleResult["counts"][number]>();
  const left = { open: 0, unsure: 0, disputed: 0 };
  for (const { stratum, zone, looks } of places) {
    const found = settled(looks.map(({ label }) => label));
    if (found.state === "known") {
      const { reference } = found;
      const key = `${stratum} ${zone} ${reference}`;
      const one = counts.get(key) ?? { stratum, zone, reference, units: 0 };
      one.units++;
      counts.set(key, one);
    } else {
      left[found.state]++;
    }
  }
  return { counts: [...counts.values()], ...left, agreement: agreements(places) };
}

/** What areas of known class came to: nothing of them is open, and zones are not told apart. */
const resultOfAreas = (counts: readonly Count[]): SampleResult => ({
  counts: counts.map((count) => ({ ...count, zone: 0 })),
  ...{ zones: [], open: 0, unsure: 0, disputed: 0, agreement: [] },
});

/** What was seen at the places of a sample, or in areas of known class. */
export async function findResult(client: Client, sample: string): Promise<SampleResult> {
  const counts = await areaCounts(client, sample);
  if (counts) {
    return resultOfAreas(counts);
  }
  const result = resultOf(await seenPlaces(client, sample));
  return { ...result, zones: await zoneStrata(client, sample) };
}
