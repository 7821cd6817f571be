declare module "epsg-index/all.json" {
  const table: Record<string, { code: string; kind: string; name: string; proj4: string | null }>;
  export default table;
}
declare module "geotiff-geokeys-to-proj4" {
  const library: {
    toProj4(geoKeys: Record<string, unknown>): {
      proj4: string;
      errors: Record<string, unknown>;
      isGCS: boolean;
    };
  };
  export default library;
}
