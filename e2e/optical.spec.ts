import { readdirSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { FIRE, accessible, base, settled, demoFile, jsonOf, openStudy, shareOf } from "./support";

test("bands and their metadata text become one scene: natural colours, a spectrum; what does not belong is named", async ({
  page,
}) => {
  const made = await jsonOf<{ id: string }>(
    page.request.post(`${base()}/api/studies`, { data: { name: "Bands", hazard: "fire" } }),
  );
  await page.goto(`${base()}/studies/${made.id}/scenes`);
  const all = readdirSync(demoFile("optical"))
    .filter((found) => found.startsWith("HELIO2_L1_20250122"))
    .map((file) => demoFile(`optical/${file}`));
  // In no order, and without one band.
  await page
    .getByLabel("Files", { exact: true })
    .setInputFiles(all.filter((file) => !file.endsWith("_B1.TIF")).reverse());
  await expect(page.getByText("22 January 2025 · 6 bands")).toBeVisible({ timeout: 120_000 });
  await expect(
    page.getByText(
      "Band 1 (HELIO2_L1_20250122_B1.TIF) is not there: the scene is made without it.",
    ),
  ).toBeVisible();
  await settled(page);
  const desk = page.getByLabel("Scenes: settings");
  await expect(desk.getByRole("button", { name: "Natural" })).toHaveAttribute(
    "aria-pressed",
    "true",
  );
  await desk.getByRole("button", { name: "Burn" }).click();
  await expect(desk.getByLabel("Red")).toHaveText("B7");
  await expect(desk.getByRole("row", { name: /^B5\s*865\s*30/ })).toBeVisible();
  await page.getByLabel(/^Map of HELIO2/).click({ position: { x: 400, y: 300 } });
  await expect(page.getByRole("img", { name: /^Spectra of 22 January 2025/ })).toBeVisible({
    timeout: 90_000,
  });
  await accessible(page);
  // A metadata text with a file that it does not list.
  await page.getByLabel("Files", { exact: true }).setInputFiles([
    {
      name: "X_MTL.txt",
      mimeType: "text/plain",
      buffer: Buffer.from('DATE_ACQUIRED = 2025-01-22\nFILE_NAME_BAND_2 = "X_B2.TIF"\n'),
    },
    {
      name: "X_B9.TIF",
      mimeType: "image/tiff",
      buffer: Buffer.from("these are only notes, not an image"),
    },
  ]);
  await expect(page.getByText(/X_B9\.TIF: This is not a TIFF/)).toBeVisible();
});

test("the optical chain: a haze map in words, the spectrum before and after a step, a formula with its mistake pointed at, undo", async ({
  page,
}) => {
  const errors: string[] = [];
  page.on("pageerror", (error) => errors.push(error.message));
  await openStudy(page, "prepare", "", FIRE);
  const cell = (step: string, name: string) =>
    page.getByRole("gridcell", { name: new RegExp(`^${step}, HELIO2, ${name}:`) });
  await expect(page.getByRole("button", { name: "Everything is run" })).toBeDisabled();
  await expect(cell("Scan gaps", "6 January 2025")).toHaveAccessibleName(
    /other date, with a warning, exception/,
  );
  await cell("Haze", "21 December 2024").click();
  await expect(page.getByText("What the step found")).toBeVisible({ timeout: 90_000 });
  await page.getByRole("button", { name: "Haze map" }).click();
  await expect(page.getByRole("figure", { name: "Legend of haze levels" })).toContainText(
    "Thick haze over land",
  );
  await settled(page);
  expect(
    await shareOf(page, { x: 480, y: 120, width: 260, height: 240 }, [18, 24, 26], 12),
  ).toBeLessThan(0.5);
  await accessible(page);
  await cell("Surface", "22 January 2025").click();
  await settled(page);
  await page.getByLabel(/^Reflectance in and Surface/).click({ position: { x: 250, y: 280 } });
  await expect(
    page.getByRole("img", { name: /^Spectra of Reflectance, in, Surface, 22 Jan 2025, out/ }),
  ).toBeVisible({ timeout: 90_000 });
  await page.getByRole("button", { name: "Close the spectrum" }).click();

  await page.getByRole("columnheader", { name: /^Indices/ }).click();
  await page.getByRole("button", { name: "A formula of your own" }).click();
  await page.getByLabel("Name of the index").fill("Char");
  await page.getByLabel("Formula").fill("nir / (swir2 + rad)");
  await expect(page.getByRole("alert")).toContainText('There is no band called "rad"');
  await expect(page.getByRole("alert").locator("mark")).toHaveText("rad");
  await expect(page.getByRole("button", { name: "Add", exact: true })).toBeDisabled();
  await page.getByLabel("Formula").fill("nir / (swir2 + red)");
  await page.getByRole("button", { name: "Add", exact: true }).click();
  await expect(page.getByRole("columnheader", { name: /^Indices/ })).toContainText("Char");
  await expect(cell("Indices", "22 January 2025")).toHaveAccessibleName(/changed since it was run/);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(cell("Indices", "22 January 2025")).toHaveAccessibleName(/done/);
  expect(errors).toEqual([]);
});

test("a part of a mosaic is previewed in a box", async ({ page }) => {
  await openStudy(page, "prepare", "", FIRE);
  await page.getByRole("gridcell", { name: /^Mosaic, HELIO2, 11 March 2025, west/ }).click();
  await settled(page);
  await page.getByRole("button", { name: "Preview a part" }).click();
  await page.mouse.move(300, 200);
  await page.mouse.down();
  await page.mouse.move(560, 380, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByRole("button", { name: "Show the whole" })).toBeVisible();
  await expect(page.getByRole("slider", { name: "Curtain" })).toHaveCount(0);
  await expect(page.getByText(/^Difference in the overlap, B5/)).toBeVisible({ timeout: 90_000 });
  await page.getByRole("button", { name: "Show the whole" }).click();
  await expect(page.getByRole("slider", { name: "Curtain" })).toBeVisible();
});

test("the fire in Compare: dNBR between published breaks moved by the season, pictures under one stretch, a map whose inputs are recalled", async ({
  page,
}) => {
  await openStudy(page, "compare", "", FIRE);
  await expect(page.getByLabel("Measure", { exact: true })).toHaveText("dNBR, before − after");
  await expect(
    page.getByRole("textbox", { name: "High severity: change ≥", exact: true }),
  ).toHaveValue("0.66");
  await expect(page.getByTestId("headline")).toContainText("high severity");
  await settled(page);
  const area = async () =>
    parseFloat(
      (await page.getByLabel("Area of High severity").textContent())!.replace(/[^\d.]/g, ""),
    );
  const first = await area();
  expect(first).toBeGreaterThan(1);
  await page.getByRole("textbox", { name: "High severity: change ≥", exact: true }).fill("0.5");
  await page.keyboard.press("Enter");
  await expect.poll(area, { timeout: 90_000 }).toBeGreaterThan(first);
  await page.keyboard.press("Control+z");
  await page.getByLabel("Picture").click();
  await page.getByRole("option", { name: /^Burn/ }).click();
  await expect(page.getByRole("button", { name: "Same stretch" })).toHaveAttribute(
    "aria-pressed",
    "true",
  );
  await settled(page);
  await accessible(page);
  await page.getByRole("link", { name: /^Tally/ }).click();
  await expect(page.getByText("index loss, before − after")).toBeVisible({ timeout: 90_000 });
  await expect(page.getByText(/surface dark object/i)).toBeVisible();
});

test("a picture without position is asked about and kept; an index is shown between break points", async ({
  page,
}) => {
  const made = await jsonOf<{ id: string }>(
    page.request.post(`${base()}/api/studies`, {
      data: { name: "Loose pictures", hazard: "other" },
    }),
  );
  await page.goto(`${base()}/studies/${made.id}/scenes`);
  await page
    .getByLabel("Files", { exact: true })
    .setInputFiles([
      demoFile("sheets/old_sheet_of_the_plain.png"),
      demoFile("greenness/HELIO_EVI_A2025033.tif"),
    ]);
  await expect(page.getByText("2 February 2025").first()).toBeVisible({ timeout: 120_000 });
  const ask = page.getByRole("region", { name: "Questions about old_sheet_of_the_plain.png" });
  await expect(ask).toContainText("does not say where on the ground it lies");
  await ask.getByLabel("Kind").click();
  await page.getByRole("option", { name: "Something else" }).click();
  await ask.getByLabel("Taken on").fill("1962-05-01");
  await ask.getByRole("button", { name: "Import" }).click();
  const desk = page.getByLabel("Scenes: settings");
  await desk
    .getByRole("button", { name: /^old_sheet_of_the_plain 1 May/ })
    .click({ timeout: 120_000 });
  await expect(page.getByText("no position yet · columns and rows")).toBeVisible();
  await desk.getByRole("button", { name: /^HELIO_EVI_A2025033/ }).click();
  await page.getByRole("button", { name: "Break points" }).click();
  await expect(page.getByRole("figure", { name: "Legend of EVI" })).toContainText("Vegetated");
  await page.getByLabel("Break point 1").fill("0.35");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("figure", { name: "Legend of EVI" })).toContainText("≥ 0.35");
  await page.getByLabel("Map of HELIO_EVI_A2025033").hover({ position: { x: 460, y: 330 } });
  await expect(page.getByText(/EVI\s*[−\d.]+/).first()).toBeVisible();
});
