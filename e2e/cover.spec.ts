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
  const tested = page.getByRole("table", { name: "Right in test areas" });
  await expect(tested.getByRole("row", { name: /^all \d\d\d (9[5-9]|100)\.\d %$/ })).toBeVisible();
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
  // What is tested on is not trained on: the same ground cannot be both.
  await page.getByRole("checkbox", { name: "To test on, not to train on" }).check();
  await page.getByRole("button", { name: "Draw heath" }).click();
  await page.mouse.click(x, y);
  await page.mouse.click(x + 14, y);
  await page.mouse.dblclick(x + 8, y + 14);
  await expect(page.getByText(/^38 areas on this date/)).toBeVisible();
  await page.getByRole("checkbox", { name: "To test on, not to train on" }).uncheck();
  await page.mouse.click(x + 2, y + 1);
  await page.mouse.click(x + 12, y + 1);
  await page.mouse.dblclick(x + 8, y + 9);
  const refused = page.getByText(/^A training area of heath overlaps a test area of heath/);
  await expect(refused).toBeVisible();
  await expect(classes.getByText(/^6 areas · \d+ cells$/)).toHaveCount(7);
  await page.getByRole("button", { name: "Stop drawing" }).click();
  await page.keyboard.press("Control+z");
  await expect(page.getByText(/^37 areas on this date/)).toBeVisible();
});

test("an area grows from a place, is moved by keys, split and taken back", async ({ page }) => {
  await openStudy(page, "classify", "", BASIN);
  const classes = page.getByRole("list", { name: "Classes" });
  const town = classes.getByRole("listitem").filter({ hasText: "Town" });
  await expect(classes.getByText(/^6 areas · \d+ cells$/)).toHaveCount(7);
  await settled(page);
  await town.getByRole("button", { name: "Town", exact: true }).click();
  await page.getByLabel("How areas are drawn").click();
  await page.getByRole("option", { name: "grow from here" }).click();
  await page.getByRole("button", { name: "Draw town" }).click();
  const map = page.getByLabel(/^Map of HELIO2/);
  const box = (await map.boundingBox())!;
  // The town lies left of the middle.
  const [x, y] = [box.x + 0.22 * box.width, box.y + 0.62 * box.height];
  await page.mouse.click(x, y);
  const grown = page.getByText(/^[\d\u2009]+ cells(,|$)/);
  await expect(grown).toBeVisible();
  const first = await grown.textContent();
  await page.getByRole("slider", { name: "Differs by up to" }).focus();
  await page.keyboard.press("Home");
  await expect(page.getByText(/^1 cell$/)).toBeVisible();
  for (let step = 0; step < 15; step++) {
    await page.keyboard.press("ArrowRight");
  }
  await expect(grown).toHaveText(first!);
  await accessible(page);
  // The town holds test areas: what grows over them is kept without their ground.
  await page.getByRole("button", { name: "Keep area" }).click();
  await expect(page.getByText(/^Ground of (a|\d+) test areas? was left out of it/)).toBeVisible();
  await expect(town.getByText(/^7 areas · [\d\u2009]{3,} cells/)).toBeVisible();
  await page.keyboard.press("Escape");
  // Without them, and of no date that has others there, it may be moved wherever it is wanted.
  await page.getByRole("button", { name: "Delete all" }).click();
  await expect(page.getByText(/^None on this date/)).toBeVisible();
  await page.mouse.click(x, y);
  await page.getByRole("checkbox", { name: "Holds for this date only" }).check();
  await page.getByRole("button", { name: "Move or reshape" }).click();
  await map.focus();
  await page.keyboard.press("ArrowDown");
  await expect(page.getByRole("button", { name: "Undo" })).toBeEnabled();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Split" }).click();
  await page.mouse.click(box.x + 2, y);
  await page.mouse.dblclick(box.x + box.width - 12, y);
  await expect(town.getByText(/^[89] areas/)).toBeVisible();
  for (const areas of [7, 7, 7, 7, 6]) {
    await page.getByRole("button", { name: "Undo" }).click();
    await expect(town.getByText(new RegExp(`^${areas} areas`))).toBeVisible();
  }
});

test("a forest is trained and both dates are mapped; what became of what is counted", async ({
  page,
}) => {
  await openStudy(page, "classify", "", BASIN);
  await page.getByLabel("Method", { exact: true }).click();
  await page.getByRole("option", { name: "Random forest" }).click();
  await expect(page.getByText("Wrong out of the bag")).toBeVisible({ timeout: 120_000 });
  await page.getByRole("button", { name: "Undo" }).click();
  await page.getByRole("button", { name: "Write land cover" }).click();
  await expect(page.getByText("2 maps are being written; they will be in Scenes.")).toBeVisible();
  await openStudy(page, "tally", "?of=cover", BASIN);
  const cell = page.getByRole("button", { name: /^Wood to Crop:/ });
  await expect(cell).toHaveText(/1\.5\d\d$/, { timeout: 120_000 });
  await cell.click();
  await expect(page.getByLabel("Legend of picked")).toHaveText("Wood to Crop");
  await settled(page);
  await accessible(page);
  await page.getByRole("radio", { name: "% of before" }).click();
  await expect(cell).toHaveText(/2\d\.\d$/);
});

test("maps that others made are paired by the names of their classes", async ({ page }) => {
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
  await expect(desk.getByText("Woodland → Wodland")).toBeVisible({ timeout: 120_000 });
  await expect(desk.getByText("names 88 % alike")).toBeVisible();
  await expect(desk.getByText("Cropland → Crop land")).toBeVisible();
  // Two classes of one map are one of the other: the second one is paired by hand.
  await page.getByLabel("Pair Bare rock by hand").click();
  await page.getByRole("option", { name: "Same as Heath" }).click();
  await expect(desk.getByText("Heath, Bare rock → Heath and bare rock")).toBeVisible();
  await expect(page.getByTestId("changed")).toHaveText(/km² became something else/, {
    timeout: 120_000,
  });
  await accessible(page);
  // There are no pictures: the change map lies over the classes themselves.
  await page.getByRole("button", { name: "Take to Compare" }).click();
  await expect(page.getByRole("region", { name: "Transitions that count" })).toBeVisible();
  await expect(page.getByTestId("headline")).toHaveText(/km² changed/, { timeout: 150_000 });
  await expect(page.getByRole("radio", { name: "Blend" })).toHaveCount(0);
  await page.mouse.move(300, 300);
  await expect(page.getByTestId("read-out")).toHaveText(/before [a-z ]+after [a-z ]+/);
  await accessible(page);
});

test("what became of what is a change map: limits, patches, what hardly happens first", async ({
  page,
}) => {
  await openStudy(page, "tally", "?of=cover", BASIN);
  await page.getByRole("button", { name: /^Wood to Crop:/ }).click();
  const patches = page.getByRole("list", { name: "Patches" });
  await expect(patches.getByRole("button").first()).toHaveText(/1\.5\d.km² · 1.\d{3} cells$/);
  await patches.getByRole("button").first().click();
  await page.getByRole("checkbox", { name: /^Hardly happens/ }).check();
  await page.getByRole("radio", { name: "Pictures" }).click();
  await expect(page.getByRole("slider", { name: "Curtain" })).toBeVisible();
  await accessible(page);
  await page.getByRole("button", { name: "Take to Compare" }).click();
  await expect(page.getByRole("region", { name: "Transitions that count" })).toBeVisible();
  await expect(page.getByTestId("headline")).toHaveText(/^5\.\d+.km² changed/, {
    timeout: 150_000,
  });
  await accessible(page);
  await page.getByRole("button", { name: "Write change map" }).click();
  await page.waitForURL(/\/tally\?map=/, { timeout: 150_000 });
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(/km² became something else/);
  await page.getByRole("link", { name: "Review" }).click();
  const list = page.getByRole("table", { name: /Patches/ });
  await expect(page.getByRole("button", { name: "unlikely first" })).toHaveAttribute(
    "aria-pressed",
    "true",
  );
  await expect(list.getByRole("row").nth(1)).toContainText("Wood to Crop");
});

test("the lie of the land tells classes, a training is kept, groups become classes", async ({
  page,
}) => {
  await openStudy(page, "classify", "", BASIN);
  await page.getByRole("button", { name: "Pick inputs" }).click();
  await page.getByRole("checkbox", { name: "slope" }).check();
  await page.keyboard.press("Escape");
  const ranks = page.getByRole("table", { name: "What each input adds" });
  await expect(ranks.getByRole("rowheader", { name: "+ slope" })).toBeVisible({ timeout: 120_000 });
  await expect(page.getByRole("img", { name: /^Training cells by/ })).toBeVisible();
  await page.getByLabel("Name of the model").fill("With slope");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await page.getByLabel("Classes by").click();
  await page.getByRole("option", { name: "With slope" }).click();
  await expect(page.getByText("Right in the areas here")).toBeVisible({ timeout: 120_000 });
  await page.getByLabel("Classes by").click();
  await page.getByRole("option", { name: "Groups of like cells" }).click();
  const groups = page.getByRole("list", { name: "Groups found" });
  await expect(groups.getByRole("listitem")).toHaveCount(8, { timeout: 120_000 });
  await page.getByLabel("Class of group 1", { exact: true }).click();
  await page.getByRole("option", { name: "Water" }).click();
  await page.getByRole("radio", { name: "Groups" }).click();
  await settled(page);
  await accessible(page);
  // Back to what the demo opens with.
  await page.getByLabel("Classes by").click();
  await page.getByRole("option", { name: "Training on each date" }).click();
  await page.getByRole("button", { name: "Pick inputs" }).click();
  await page.getByRole("checkbox", { name: "slope" }).uncheck();
});
