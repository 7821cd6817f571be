import { expect, test } from "@playwright/test";
import { buildDbf, buildShp } from "@hindglance/formats/testing/buildShapefile";
import { accessible, emptyStudy } from "./support";

const ring = (west: number): [number, number][] => [
  [west, -43.6],
  [west, -43.55],
  [west + 0.05, -43.55],
  [west + 0.05, -43.6],
  [west, -43.6],
];
const file = (name: string, content: Uint8Array | string) => ({
  name,
  mimeType: "application/octet-stream",
  buffer: Buffer.from(content),
});
const SYSTEM =
  'GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]]';
const BOW_TIE = {
  type: "Feature",
  properties: { name: "Fen" },
  geometry: {
    type: "Polygon",
    coordinates: [
      [
        [-21.05, -43.6],
        [-20.95, -43.55],
        [-20.95, -43.6],
        [-21.05, -43.55],
        [-21.05, -43.6],
      ],
    ],
  },
};

test("features of several formats become zones, an overlay and the study area; faults are told", async ({
  page,
}) => {
  await emptyStudy(page, "Features");
  await page
    .getByLabel("Files", { exact: true })
    .setInputFiles([
      file("zones.shp", buildShp(5, [[ring(-21)], [ring(-20.9)]])),
      file("zones.dbf", buildDbf(["name"], [["Lowfen"], ["Tolm"]])),
      file("zones.prj", SYSTEM),
      file("places.csv", "name;lon;lat\nHospital;-20,98;-43,58\n"),
      file("fen.geojson", JSON.stringify(BOW_TIE)),
      file("lost.dbf", buildDbf(["name"], [["x"]])),
    ]);
  await expect(page.getByText("2 zones, named by “name”")).toBeVisible({ timeout: 90_000 });
  await expect(page.getByText(/lost\.dbf is a part of a Shapefile/)).toBeVisible();

  const places = page.getByRole("region", { name: "Questions about places.csv" });
  await expect(places.getByText("1 point, WGS 84")).toBeVisible();
  await places.getByRole("button", { name: "Import" }).click();
  await expect(page.getByText("overlay, 1 feature")).toBeVisible();

  const fen = page.getByRole("region", { name: "Questions about fen.geojson" });
  await fen.getByRole("combobox", { name: "What are they?" }).click();
  await page.getByRole("option", { name: /The study area/ }).click();
  await expect(fen.getByText(/Feature 1 crosses itself/)).toBeVisible();
  await expect(fen.getByRole("button", { name: "Import" })).toBeDisabled();
  await accessible(page);
  await fen.getByRole("checkbox", { name: /Mend them/ }).check();
  await fen.getByRole("button", { name: "Import" }).click();
  await expect(page.getByText("Everything is counted inside the white outline.")).toBeVisible();

  await page.getByRole("button", { name: "Hide places" }).click();
  await expect(page.getByRole("button", { name: "Show places" })).toBeVisible();
  await page.getByRole("button", { name: "Remove overlay places" }).click();
  await expect(page.getByText("overlay, 1 feature")).toHaveCount(0);
});
