/** Reads tables of dBase; ships without types. */
declare module "parsedbf" {
  export default function parseDbf(
    table: DataView,
    encoding?: string,
  ): Record<string, string | number | boolean | Date>[];
}
