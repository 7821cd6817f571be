import { vectorRoutes } from "@hindglance/contract/vectors";
import { callWith } from "./call";

/** Endings of files of features that the server reads. */
export const FEATURE_FILES = ".json,.geojson,.zip,.kml,.kmz,.gpkg,.fgb";

/**
 * What a file of features says: its own text where it is one, else its features as GeoJSON, which the
 * server reads.
 * @param isText tells files that are texts by their names
 * @throws ApiError where the server cannot read it
 */
export const featureText = async (file: File, isText: RegExp): Promise<string> =>
  isText.test(file.name)
    ? file.text()
    : JSON.stringify(await callWith(vectorRoutes.features, { query: { name: file.name } }, file));
