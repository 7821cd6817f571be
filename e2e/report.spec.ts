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
  await expect(runs.getByText("Done", { exact: true })).toBeVisible({ timeout: 90_000 });
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
