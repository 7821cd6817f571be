import { expect, test } from "@playwright/test";
import { accessible, base, jsonOf, openStudy, settled } from "./support";

test("a recipe makes a map of a pair, the ledger tells of it, and a map program reads it", async ({
  page,
}) => {
  const id = await openStudy(page, "report", "?of=recipes");
  await page.getByRole("combobox", { name: "Recipe" }).waitFor();
  await accessible(page);
  await page.getByLabel("Name of the map").fill("By recipe");
  await page.getByRole("button", { name: "Run on this pair" }).click();
  const runs = page.getByRole("region", { name: "Runs of recipes" });
  await expect(runs.getByRole("heading", { name: "By recipe" })).toBeVisible();
  await expect(runs.getByText("Done", { exact: true })).toBeVisible({ timeout: 240_000 });
  await accessible(page);

  await page.getByRole("radio", { name: "Ledger" }).click();
  await page.getByLabel("Words").fill("by recipe written");
  const line = page.getByRole("list", { name: "Lines of the ledger" }).getByRole("listitem");
  await expect(line).toHaveCount(1);
  await expect(line).toContainText("by the recipe “Ombrel flood”");
  await accessible(page);

  await page.getByRole("radio", { name: "Services" }).click();
  await page.getByRole("button", { name: "Switch services on" }).click();
  await expect(page.getByRole("list", { name: "Services" })).toBeVisible();
  await settled(page);
  await accessible(page);
  const { collections } = await jsonOf<{ collections: { title: string }[] }>(
    page.request.get(`${base()}/open/${id}/collections`),
  );
  expect(collections.map(({ title }) => title)).toContain("By recipe: patches");
  await page.getByRole("button", { name: "Switch services off" }).click();
  await expect(page.getByText(/Services are off/)).toBeVisible();
  expect((await page.request.get(`${base()}/open/${id}`)).status()).toBe(404);

  // What it left goes again: journeys that follow count maps.
  const maps = await jsonOf<{ id: string; name: string }[]>(
    page.request.get(`${base()}/api/studies/${id}/change-maps`),
  );
  const made = maps.find(({ name }) => name === "By recipe")!;
  expect((await page.request.delete(`${base()}/api/change-maps/${made.id}`)).ok()).toBe(true);
});

test("a date is taken away in a system of one's own", async ({ page }) => {
  await openStudy(page, "report", "?of=images");
  await page.getByLabel("System, EPSG code").fill("4326");
  await page.getByLabel("Cell size, in units of the system").fill("0.001");
  await accessible(page);
  await page.getByRole("button", { name: "Make a file of LANTERN1, 14 May" }).click();
  const images = page.getByRole("list", { name: "Images" });
  await expect(images.getByText(/EPSG:4326, 0\.001 °, \d+ x \d+ cells/)).toBeVisible();
  const file = page.waitForEvent("download");
  await images.getByRole("button", { name: /^Download/ }).click();
  expect((await file).suggestedFilename()).toMatch(/^LANTERN1_14_May_2025-05-14_prepared_4326/);
  await images.getByRole("button", { name: /^Delete/ }).click();
  await expect(images.getByText(/EPSG:4326/)).toHaveCount(0);
});

test("a sheet is laid out on the page, its words are set in place, and it is made", async ({
  page,
}) => {
  const id = await openStudy(page, "report", "?of=sheet");
  const sheet = page.getByRole("group", { name: /^Page 1 of/ });
  await expect(sheet.getByText("New water", { exact: true }).first()).toBeVisible();
  await settled(page);
  await accessible(page);
  await page.getByRole("combobox", { name: "Layout" }).click();
  await page.getByRole("option", { name: /^Before, after and change/ }).click();
  await expect(sheet.getByRole("button", { name: /^Map before\./ })).toBeVisible();

  const legend = sheet.getByRole("button", { name: /^Legend\./ });
  const from = (await legend.boundingBox())!;
  await page.mouse.move(from.x + 20, from.y + 20);
  await page.mouse.down();
  await page.mouse.move(from.x + 60, from.y + 60, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByText("Changed by hand")).toBeVisible();
  await expect.poll(async () => (await legend.boundingBox())!.x).toBeGreaterThan(from.x + 10);
  await page.keyboard.press("Control+z");
  await expect(page.getByText("Changed by hand")).toHaveCount(0);

  const title = sheet.getByRole("button", { name: /^Title\./ });
  const box = (await title.boundingBox())!;
  await page.mouse.click(box.x + 30, box.y + 8);
  await sheet.getByRole("textbox", { name: "Title" }).fill("Flood of Monday");
  await page.keyboard.press("Enter");
  await expect(sheet.getByText("Flood of Monday")).toBeVisible();
  const file = page.waitForEvent("download", { timeout: 120_000 });
  await page.getByRole("button", { name: "Make PDF" }).click();
  expect((await file).suggestedFilename()).toMatch(/\.sheet\.pdf$/);

  await page.reload();
  await expect(sheet.getByText("Flood of Monday")).toBeVisible();
  const maps = await jsonOf<{ id: string }[]>(
    page.request.get(`${base()}/api/studies/${id}/change-maps`),
  );
  expect(maps.length).toBeGreaterThan(0);
});
