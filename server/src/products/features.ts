import { type Feature } from "@hindglance/core/vector/features";
import { isRecord } from "@hindglance/core/values";

const isFeature = (value: unknown): value is Feature =>
  isRecord(value) && isRecord(value.properties) && "geometry" in value;

/** Features of a collection as its text was kept; none where there is no text. */
export function featuresFrom(text: string | null): Feature[] {
  const value: unknown = JSON.parse(text ?? "null");
  const features: unknown[] =
    isRecord(value) && Array.isArray(value.features) ? value.features : [];
  return features.filter(isFeature);
}
