import type { FoundLayer } from "@hindglance/contract/upload";
import { messageOf } from "@hindglance/core/errors";
import { type Fault, faultsOf, isRepairable } from "@hindglance/core/vector/check";
import { type Feature, type Shape, shapesOf } from "@hindglance/core/vector/features";
import { FormatError } from "@hindglance/formats/errors";
import type { VectorLayer } from "@hindglance/formats/vector/layer";
import { type PlacedLayer, onGlobe, systemDoubt } from "@hindglance/formats/vector/onGlobe";

const MOST_FEATURES = 60_000;
/** Faults that are told; of the others the number is. */
const TOLD = 5;

/** Properties that every feature has as a text or a number. */
function commonFields(features: readonly Feature[]): string[] {
  const counts = new Map<string, number>();
  for (const [field, value] of features.flatMap(({ properties }) => Object.entries(properties))) {
    if (typeof value === "string" || typeof value === "number") {
      counts.set(field, (counts.get(field) ?? 0) + 1);
    }
  }
  return [...counts].filter(([, count]) => count === features.length).map(([field]) => field);
}

const countOf = (features: readonly Feature[], shape: Shape): number =>
  features.filter(({ geometry }) => shapesOf(geometry).includes(shape)).length;

/** A fault with the number of its feature, in words. */
const told = ({ feature, said }: Fault): string => `Feature ${feature} ${said}`;

/** Why faults refuse a layer; null where they can be mended. */
function refusalOf(faults: readonly Fault[]): string | null {
  const fatal = faults.find((fault) => !isRepairable(fault));
  return fatal ? told(fatal) : null;
}

/** A layer as it lies, where its system is known; with why not where it is none that is known here. */
async function placedOrNot(
  layer: VectorLayer,
): Promise<{ placed: PlacedLayer | null; noSystem: string | null }> {
  const noSystem = systemDoubt(layer);
  if (noSystem) {
    return { placed: null, noSystem };
  }
  try {
    return { placed: await onGlobe(layer), noSystem: null };
  } catch (error) {
    if (error instanceof FormatError) {
      return { placed: null, noSystem: messageOf(error) };
    }
    throw error;
  }
}

/** What a layer says, and what is wrong with it. */
export async function foundIn(layer: VectorLayer): Promise<FoundLayer> {
  const { features, name } = layer;
  const { placed, noSystem } = await placedOrNot(layer);
  // Without a system rings can be looked at, but not where they lie.
  const faults = placed?.faults ?? faultsOf(features).filter(({ kind }) => kind !== "offGlobe");
  const nameFields = commonFields(features);
  const likely = nameFields.find((field) => /name|title|label/i.test(field));
  const isMany = features.length > MOST_FEATURES;
  return {
    name,
    features: features.length,
    points: countOf(features, "point"),
    lines: countOf(features, "line"),
    polygons: countOf(features, "polygon"),
    nameFields,
    nameField: likely ?? nameFields[0] ?? null,
    system: placed ? (placed.crs.name ?? placed.crs.code) : null,
    noSystem,
    faults: faults.slice(0, TOLD).map(told),
    faulty: new Set(faults.map(({ feature }) => feature)).size,
    withHeights: placed?.withHeights ?? 0,
    refused: isMany
      ? `It holds ${features.length} features; up to ${MOST_FEATURES} can be used`
      : refusalOf(faults),
    taken: false,
  };
}
