import { readdirSync } from "node:fs";
import { type Page, expect, test } from "@playwright/test";
import { base, demoFile, emptyStudy, jsonOf, openStudy, settled } from "./support";

const headline = (page: Page) => page.getByTestId("headline");
const threshold = (page: Page) => page.getByLabel(/^New water: change/);

test("seven files dropped at once on a busy machine: no page breaks, nothing is lost", async ({
  page,
}) => {
  const broken: string[] = [];
  page.on("pageerror", (error) => broken.push(error.message));
  const devtools = await page.context().newCDPSession(page);
  await devtools.send("Emulation.setCPUThrottlingRate", { rate: 6 });
  const study = await emptyStudy(page, "Dropped at once");
  const files = readdirSync(demoFile("")).filter(
    (name) =>
      /^LN1.*(20250502|20250514)T1841.*\.zip$/.test(name) ||
      /V2025(0502|0514).*EOF$/.test(name) ||
      /elevation\.tif$|districts\.geojson$|ombrel_study_area\.geojson$/.test(name),
  );
  expect(files).toHaveLength(7);
  await page.getByLabel("Files", { exact: true }).setInputFiles(files.map(demoFile));

  // The one polygon may be the study area or a zone: that is asked.
  const area = page.getByRole("region", { name: /^Questions about ombrel_study_area/ });
  await expect(area).toBeVisible({ timeout: 150_000 });
  await area.getByRole("combobox", { name: "What are they?" }).click();
  await page.getByRole("option", { name: /The study area/ }).click();
  await area.getByRole("button", { name: "Import" }).click();
  await expect(page.getByText("Everything is counted inside the white outline.")).toBeVisible();

  await expect(async () => {
    const scenes = await jsonOf<{ kind: string; imageId: string | null }[]>(
      page.request.get(`${base()}/api/studies/${study}/scenes`),
    );
    expect(scenes.map((scene) => [scene.kind, scene.imageId !== null]).sort()).toEqual([
      ["elevation", true],
      ["radar", true],
      ["radar", true],
    ]);
  }).toPass({ timeout: 150_000 });
  const zones = await page.request.get(`${base()}/api/studies/${study}/zones`);
  expect((await jsonOf<unknown[]>(zones)).length).toBe(1);
  const orbits = await page.request.get(`${base()}/api/studies/${study}/orbits`);
  expect((await jsonOf<unknown[]>(orbits)).length).toBe(2);
  const left = await page.request.get(`${base()}/api/studies/${study}/uploads`);
  expect(await left.json()).toEqual([]);
  await expect(page.getByText("This page broke")).toHaveCount(0);
  expect(broken).toEqual([]);

  // The same file again is refused with the name that it has.
  await page
    .getByLabel("Files", { exact: true })
    .setInputFiles(demoFile("corvane_districts.geojson"));
  await expect(page.getByText(/is in this study already, as the zones/)).toBeVisible();
});

test("two pages on one study: a change on one is seen on the other, and both keep theirs", async ({
  page,
  context,
}) => {
  await openStudy(page, "compare");
  const other = await context.newPage();
  await openStudy(other, "compare");
  await expect(headline(page)).toContainText("km²");
  await expect(headline(other)).toContainText("km²");
  const first = await threshold(page).inputValue();

  await threshold(page).fill("-6");
  await threshold(page).press("Enter");
  await expect(threshold(other)).toHaveValue("−6.0");
  // Each changes something else within the moment before either has heard of the other.
  await threshold(page).fill("-5");
  await threshold(page).press("Enter");
  await other.getByLabel("Looks", { exact: true }).fill("5");
  await other.getByLabel("Looks", { exact: true }).press("Enter");
  await expect(threshold(other)).toHaveValue("−5.0");
  await expect(page.getByLabel("Looks", { exact: true })).toHaveValue("5.0");
  await settled(page);
  // Both come to the same areas, each in its own time.
  const areas = () => Promise.all([page, other].map((one) => headline(one).textContent()));
  await expect.poll(async () => new Set(await areas()).size, { timeout: 120_000 }).toBe(1);

  // Back to what the study had.
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Undo" }).click();
  await page.getByRole("button", { name: "Undo" }).click();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(threshold(page)).toHaveValue(first);
  await expect(threshold(other)).toHaveValue(first);
  await other.close();
});

test("another measure and back: one step, with the very numbers that were there", async ({
  page,
}) => {
  await openStudy(page, "compare");
  await expect(page.getByText("· exact")).toBeVisible({ timeout: 120_000 });
  const before = await headline(page).textContent();
  const value = await threshold(page).inputValue();
  await page.getByRole("combobox", { name: "Measure" }).click();
  await page.getByRole("option", { name: "Quotient of decibels" }).click();
  await expect(page.getByText("Darker", { exact: true })).toBeVisible();
  await expect(page.getByText("· exact")).toBeVisible({ timeout: 120_000 });
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("combobox", { name: "Measure" })).toHaveText(/Log ratio/);
  await expect(threshold(page)).toHaveValue(value);
  await expect(page.getByText("· exact")).toBeVisible();
  await expect(headline(page)).toHaveText(before!);

  // From another measure, the suggested settings are counted on the measure that they are for.
  await page.getByRole("combobox", { name: "Measure" }).click();
  await page.getByRole("option", { name: "Change vector" }).click();
  await expect(threshold(page)).toHaveCount(0);
  await page.getByRole("button", { name: "Presets" }).click();
  await page.getByRole("menuitem", { name: /Suggested settings/ }).click();
  await expect(page.getByRole("combobox", { name: "Measure" })).toHaveText(/Log ratio/);
  await expect(threshold(page)).toHaveValue(/^−[2-6]\.\d$/);
  await expect(headline(page)).toContainText("km² new water");
  await expect(page.getByText("· exact")).toBeVisible({ timeout: 120_000 });
});

test("what is no number is said at the field, and never sent", async ({ page }) => {
  await openStudy(page, "compare");
  await expect(headline(page)).toContainText("km²");
  const before = await threshold(page).inputValue();
  await threshold(page).fill("0x10");
  await threshold(page).press("Tab");
  await expect(page.getByRole("alert").filter({ hasText: /^A number/ })).toBeVisible();
  await expect(threshold(page)).toHaveValue("0x10");
  await threshold(page).press("Escape");
  await expect(threshold(page)).toHaveValue(before);
});
