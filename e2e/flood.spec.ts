import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { accessible, base, settled, jsonOf, openStudy, shareOf } from "./support";

const km2 = (t: string | null) => Number((t ?? "").replace(/[^\d.]/g, ""));
const MAP = { x: 470, y: 110, width: 440, height: 520 };
const MAGENTA: [number, number, number] = [190, 32, 100];

test("the demo study opens on both dates with classes and their areas", async ({ page }) => {
  const errors: string[] = [];
  page.on("pageerror", (error) => errors.push(error.message));
  await openStudy(page, "compare");
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  await settled(page);
  expect(km2(await page.getByLabel("Area of New water").textContent())).toBeGreaterThan(15);
  // Left of the curtain there are no classes, right of it the flood is magenta.
  expect(await shareOf(page, MAP, MAGENTA)).toBeGreaterThan(0.04);
  expect(await shareOf(page, { x: 10, y: 110, width: 440, height: 500 }, MAGENTA)).toBeLessThan(
    0.001,
  );
  await page.mouse.move(640, 360);
  await expect(page.getByTestId("read-out")).toContainText(/before −?\d+\.\d dB/);
  await expect(page.getByTestId("read-out")).toContainText(/after −?\d+\.\d dB/);
  await accessible(page);
  expect(errors).toEqual([]);
});

test("dragging a threshold asks no server; letting go measures exactly; undo brings all back", async ({
  page,
}) => {
  await openStudy(page, "compare");
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  await settled(page);
  const slider = page.getByRole("slider", { name: "Change threshold, New water" });
  const area = page.getByLabel("Area of New water");
  const was = km2(await area.textContent());
  const box = (await slider.locator("line").boundingBox())!;
  const requests: string[] = [];
  await page.mouse.move(box.x, box.y + 40);
  await page.mouse.down();
  // News are asked for every while, whatever somebody does.
  page.on("request", (request) => {
    if (!request.url().endsWith("/api/news")) {
      requests.push(`${request.method()} ${request.url()}`);
    }
  });
  // Onto the flank of the heap of new water: deeper in it the speckle of each cell decides, which an
  // overview has averaged.
  for (let i = 1; i <= 40 && km2(await area.textContent()) > was * 0.95; i++) {
    await page.mouse.move(box.x - i * 4, box.y + 40);
    await page.waitForTimeout(250);
  }
  await expect(area).toContainText("≈");
  expect(km2(await area.textContent())).toBeLessThan(was * 0.97);
  await page.waitForTimeout(1500);
  const live = km2(await area.textContent());
  expect(requests).toEqual([]);
  await page.mouse.up();
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  // The worker looks at an overview of half the cells a side, the server at every cell: 3 to 4 % on
  // the flank of a heap.
  expect(Math.abs(km2(await area.textContent()) / live - 1)).toBeLessThan(0.05);
  await page.keyboard.press("Control+z");
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  await expect.poll(async () => km2(await area.textContent())).toBe(was);
});

test("views by key, glance by Space, thresholds and handles by arrow keys", async ({ page }) => {
  await openStudy(page, "compare");
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  await settled(page);
  await page.keyboard.press("4");
  await expect(page.getByRole("radio", { name: "One" })).toBeChecked();
  await settled(page);
  expect(await shareOf(page, MAP, MAGENTA)).toBeGreaterThan(0.04);
  await page.locator("body").click({ position: { x: 1050, y: 20 } });
  await page.keyboard.down("Space");
  await page.waitForTimeout(700);
  expect(await shareOf(page, MAP, MAGENTA)).toBeLessThan(0.001);
  await page.keyboard.up("Space");
  await expect.poll(() => shareOf(page, MAP, MAGENTA), { timeout: 15_000 }).toBeGreaterThan(0.04);
  await page.keyboard.press("1");
  await expect(page.getByLabel("Map of the before date")).toBeVisible();
  await settled(page);
  await page.mouse.move(200, 400);
  await expect(page.getByTestId("read-out")).toContainText("before");
  await page.keyboard.press("3");
  await expect(page.getByText("brighter after")).toBeVisible();
  await page.keyboard.press("2");
  expect(new URL(page.url()).searchParams.get("view")).toBe("curtain");
  const slider = page.getByRole("slider", { name: "Change threshold, New water" });
  await slider.focus();
  const was = Number(await slider.getAttribute("aria-valuenow"));
  await page.keyboard.press("ArrowLeft");
  await expect(slider).toHaveAttribute("aria-valuenow", String(Math.round((was - 0.1) * 10) / 10));
  await page.keyboard.press("ArrowRight");
  await page.getByRole("slider", { name: "Curtain" }).focus();
  await page.keyboard.press("Shift+ArrowRight");
  await expect(page.getByRole("slider", { name: "Curtain" })).toHaveAttribute(
    "aria-valuenow",
    "60",
  );
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toContainText("Glance");
  await accessible(page);
  await page.keyboard.press("Escape");
});

test("rules, classes and limits are edited in place", async ({ page }) => {
  await openStudy(page, "compare");
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  const field = page.getByLabel("New water: after <");
  const was = await field.inputValue();
  await field.fill("abc");
  await expect(field).toHaveAttribute("aria-invalid", "true");
  await field.press("Escape");
  await expect(field).toHaveValue(was);
  await page.getByRole("button", { name: "Class", exact: true }).click();
  await expect(page.getByText(/^Class \d+$/)).toBeVisible();
  await page.getByRole("radio", { name: /^Limits/ }).click();
  // What each limit takes is told in its row.
  await expect(page.getByRole("listitem").filter({ hasText: "inside study area" })).toContainText(
    /−[\d.]+ km²/,
    { timeout: 120_000 },
  );
  await page.getByRole("button", { name: "patch ≥" }).click();
  await page.getByRole("button", { name: "Take away" }).click();
  await expect(page.getByRole("button", { name: "patch ≥" })).toHaveCount(0);
  await page.getByRole("button", { name: "Limit", exact: true }).click();
  await page.getByRole("menuitem", { name: "Minimum patch" }).click();
  await expect(page.getByRole("button", { name: "patch ≥" })).toBeVisible();
  await page.getByRole("radio", { name: "Classes", exact: true }).click();
  await page.getByRole("button", { name: "Presets" }).click();
  await page.getByRole("menuitem", { name: /Suggested settings/ }).click();
  // The settings are taken when both dates have been looked at.
  await expect(page.getByText(/^Class \d+$/)).toHaveCount(0, { timeout: 120_000 });
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
});

test("write a change map, read its tally, take its files away", async ({ page }) => {
  const id = await openStudy(page, "compare");
  const maps = async () =>
    (await jsonOf<unknown[]>(page.request.get(`${base()}/api/studies/${id}/change-maps`))).length;
  const before = await maps();
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  const shown = km2(await page.getByLabel("Area of New water").textContent());
  await page.getByRole("button", { name: "Write change map" }).click();
  await page.waitForURL(/tally\?map=/, { timeout: 120_000 });
  const headline = page.getByRole("heading", { level: 1 });
  await expect(headline).toContainText("new water");
  expect(Math.abs(km2((await headline.textContent())!.split("km²")[0]!) - shown)).toBeLessThan(
    0.011,
  );
  const cells = page.getByRole("row", { name: /^All/ }).getByRole("cell");
  const km = Number((await cells.first().textContent())!);
  await page.getByRole("radio", { name: "ha", exact: true }).click();
  expect(
    Math.abs(Number((await cells.first().textContent())!.replace(/[^\d.]/g, "")) / 100 - km),
  ).toBeLessThan(0.01);
  await page.getByRole("radio", { name: "%" }).click();
  await settled(page);
  await accessible(page);
  const csv = page.waitForEvent("download");
  await page.getByRole("button", { name: "CSV" }).click();
  const text = readFileSync(await (await csv).path(), "utf8");
  expect(text.split("\r\n")[1]).toMatch(/^All,New water,\d+,/);
  expect(Math.abs(Number(text.split("\r\n")[1]!.split(",")[3]) - km)).toBeLessThan(0.001);

  await page.getByRole("button", { name: "Make files" }).click();
  const tif = page.waitForEvent("download");
  await page.getByRole("button", { name: "Make Classes, GeoTIFF" }).click();
  const bytes = readFileSync(await (await tif).path());
  expect([...bytes.subarray(0, 4)]).toEqual([0x49, 0x49, 42, 0]);
  await expect(page.getByRole("button", { name: "Download Classes, GeoTIFF" })).toBeVisible();
  // Sheets, slides and the measure of every cell are made for it.
  const all = page.waitForEvent("download", { timeout: 150_000 });
  await page.getByRole("button", { name: "Make All files, ZIP" }).click();
  const archive = await (await all).path();
  const within = execFileSync("unzip", ["-Z1", archive], { encoding: "utf8" }).trim().split("\n");
  const ends = "tif tif.aux.xml measure.tif geojson gpkg fgb shp.zip kmz csv xlsx item.json";
  for (const end of ends.split(" ")) {
    expect(within.filter((name) => name.endsWith(`.${end}`))).not.toEqual([]);
  }
  expect(within.at(-1)).toBe("SHA256SUMS");
  const geo = page.waitForEvent("download");
  await page.getByRole("button", { name: "Make Patches, GeoJSON" }).click();
  const features = (
    JSON.parse(readFileSync(await (await geo).path(), "utf8")) as {
      features: { properties: { class: string; area_m2: number } }[];
    }
  ).features;
  expect(
    Math.abs(
      features
        .filter((feature) => feature.properties.class === "New water")
        .reduce((s, fraction) => s + fraction.properties.area_m2, 0) /
        1e6 -
        km,
    ),
  ).toBeLessThan(0.001);
  await settled(page);
  await accessible(page);
  // A link shows a colleague the same.
  await page.goto(page.url());
  await expect(page.getByRole("button", { name: "Download Classes, GeoTIFF" })).toBeVisible();
  await page.getByRole("button", { name: "Delete change map" }).click();
  await accessible(page);
  await page.getByRole("button", { name: "Delete the map" }).click();
  await expect(page.getByText("was deleted")).toBeVisible();
  expect(await maps()).toBe(before);
});
