import { readFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import {
  BASIN,
  accessible,
  base,
  demoFile,
  emptyStudy,
  jsonOf,
  openStudy,
  settled,
} from "./support";

test("classes are drawn, told apart, smoothed and undone; the map follows", async ({ page }) => {
  await openStudy(page, "classify", "", BASIN);
  const classes = page.getByRole("list", { name: "Classes" });
  await expect(classes.getByText(/^6 areas · \d+ cells$/)).toHaveCount(7);
  await page.getByRole("radio", { name: "Smoothed" }).click();
  await settled(page);
  await expect(page.getByText(/^[\d\u2009]+ cells change, \d+\.\d % of the date\.$/)).toBeVisible();
  await expect(page.getByText("Every pair of classes lies apart.")).toBeVisible();
  await accessible(page);
  // One more area by hand: three corners, the last one twice.
  await classes.getByRole("button", { name: "Heath", exact: true }).click();
  await page.getByRole("button", { name: "Draw heath" }).click();
  const box = (await page.getByLabel(/^Map of HELIO2/).boundingBox())!;
  const [x, y] = [box.x + 0.9 * box.width, box.y + 0.55 * box.height];
  await page.mouse.click(x, y);
  await page.mouse.click(x + 14, y);
  await page.mouse.dblclick(x + 8, y + 14);
  await expect(classes.getByText(/^7 areas · \d+ cells$/)).toBeVisible();
  await page.getByRole("button", { name: "Stop drawing" }).click();
  await page.keyboard.press("Control+z");
  await expect(classes.getByText(/^6 areas · \d+ cells$/)).toHaveCount(7);
});

test("a forest is trained and both dates are mapped; what became of what is counted", async ({
  page,
}) => {
  test.setTimeout(180_000);
  await openStudy(page, "classify", "", BASIN);
  await page.getByLabel("Method", { exact: true }).click();
  await page.getByRole("option", { name: "Random forest" }).click();
  await expect(page.getByText("Wrong out of the bag")).toBeVisible({ timeout: 60_000 });
  await page.getByRole("button", { name: "Undo" }).click();
  await page.getByRole("button", { name: "Write land cover" }).click();
  await expect(page.getByText("2 maps are being written; they will be in Scenes.")).toBeVisible();
  await openStudy(page, "tally", "?of=cover", BASIN);
  const cell = page.getByRole("button", { name: /^Wood to Crop:/ });
  await expect(cell).toHaveText(/1\.5\d\d$/, { timeout: 60_000 });
  await cell.click();
  await expect(page.getByLabel("Legend of picked")).toHaveText("Wood to Crop");
  await settled(page);
  await accessible(page);
  await page.getByRole("radio", { name: "% of before" }).click();
  await expect(cell).toHaveText(/2\d\.\d$/);
});

test("maps that others made are paired by the names of their classes", async ({ page }) => {
  test.setTimeout(180_000);
  const study = await emptyStudy(page, "Maps of others");
  for (const [file, year] of [
    ["quill_land_cover_2019.tif", 2019],
    ["quill_land_cover_2025.tif", 2025],
  ] as const) {
    const sent = await jsonOf<{ id: string }>(
      page.request.post(`${base()}/api/studies/${study}/uploads?name=${file}`, {
        data: readFileSync(demoFile(file)),
        headers: { "content-type": "application/octet-stream" },
      }),
    );
    const made = await page.request.post(`${base()}/api/studies/${study}/scenes`, {
      data: { uploadId: sent.id, kind: "classes", acquiredAt: `${year}-01-22T13:00:00Z` },
    });
    expect(made.status()).toBe(202);
  }
  await page.goto(`${base()}/studies/${study}/tally?of=cover`);
  const desk = page.getByLabel("Tally: settings");
  await expect(desk.getByText("Woodland → Wodland")).toBeVisible({ timeout: 60_000 });
  await expect(desk.getByText("names 88 % alike")).toBeVisible();
  await expect(desk.getByText("Cropland → Crop land")).toBeVisible();
  // Two classes of one map are one of the other: the second one is paired by hand.
  await page.getByLabel("Pair Bare rock by hand").click();
  await page.getByRole("option", { name: "Same as Heath" }).click();
  await expect(desk.getByText("Heath, Bare rock → Heath and bare rock")).toBeVisible();
  await expect(page.getByTestId("changed")).toHaveText(/km² became something else/, {
    timeout: 60_000,
  });
  await accessible(page);
});
