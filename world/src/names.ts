/** Files of the demo, below its folder. */
export const FILES = {
  before: "corvane_20250502T184110_sigma0.tif",
  after: "corvane_20250514T184110_sigma0.tif",
  elevation: "corvane_elevation.tif",
  districts: "corvane_districts.geojson",
  population: "corvane_population.tif",
  roads: "corvane_roads.geojson",
  places: "corvane_places.geojson",
  cover: "corvane_land_cover.tif",
  studyArea: "ombrel_study_area.geojson",
  truth: "truth/ombrel_flood_truth.tif",
  things: "truth/ombrel_small_things.geojson",
  severity: "truth/tolm_fire_severity.tif",
  fireArea: "tolm_study_area.geojson",
  basinArea: "quill_study_area.geojson",
  training: "quill_training_areas.geojson",
  testAreas: "quill_test_areas.geojson",
  coverThen: "quill_land_cover_2019.tif",
  coverNow: "quill_land_cover_2025.tif",
  truthThen: "truth/quill_cover_2019.tif",
  truthNow: "truth/quill_cover_2025.tif",
} as const;

/** A tile of elevation in the archive's folder, by its place. */
export const elevationTile = (col: number, row: number): string =>
  `corvane_elevation_${col}${row}.tif`;
