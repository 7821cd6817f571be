/** What ground is called that lies in no zone. */
export const IN_NO_ZONE = "In no zone";

/**
 * The name of a zone in a table.
 * @param names those of the zones of a map, in their order
 * @param zone number of the zone from one on; 0, or one that has no name, is in no zone
 */
export const zoneName = (names: readonly string[] | undefined, zone: number): string =>
  names?.[zone - 1] ?? IN_NO_ZONE;
