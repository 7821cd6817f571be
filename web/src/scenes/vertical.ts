import type { VerticalDatum } from "@hindglance/core/graph/image";

/** What heights can be counted from, in words. */
export const VERTICALS: { value: VerticalDatum | "unknown"; name: string }[] = [
  { value: "ellipsoid", name: "WGS 84 ellipsoid" },
  { value: "egm96", name: "Sea level, EGM96" },
  { value: "egm2008", name: "Sea level, EGM2008" },
  { value: "unknown", name: "Not known" },
];
