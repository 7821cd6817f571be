import { expect, test } from "@playwright/test";
import { accessible, base, settled, jsonOf, openStudy } from "./support";

test("from an empty study to a prepared date with the archive alone: search, fetch, join frames, orbit and elevation", async ({
  page,
}) => {
  const made = await jsonOf<{ id: string }>(
    page.request.post(`${base()}/api/studies`, {
      data: { name: "From the archive", hazard: "flood", eventAt: "2025-05-12T05:20:00Z" },
    }),
  );
  await page.goto(`${base()}/studies/${made.id}/scenes`);
  await page.getByRole("button", { name: "Archive", exact: true }).click();
  await expect(page.getByText("7 results")).toBeVisible();
  await page.getByLabel("From").fill("2025-05-20");
  await page.getByRole("button", { name: "Search" }).click();
  await expect(page.getByText("2 results")).toBeVisible();
  await accessible(page);
  await page.getByLabel("Fetch LANTERN1, 2025-05-26, frame 1").check();
  await page.getByLabel("Fetch LANTERN1, 2025-05-26, frame 2").check();
  await page.getByRole("button", { name: /^Fetch 2 products, 15\.5/ }).click();
  await expect(page.getByText("in the study")).toHaveCount(0);
  await page.getByLabel("Scenes: settings").getByRole("button", { name: "Scenes" }).click();
  const list = page.getByLabel("Scenes: settings");
  await expect(list.getByText("26 May 2025 · VV, VH")).toHaveCount(2, { timeout: 120_000 });

  await list.getByRole("button", { name: /frame 1/ }).click();
  await page.getByRole("button", { name: "Join with …" }).click();
  await page.getByRole("button", { name: "Join 2 scenes" }).click();
  await expect(list.getByText("LANTERN1, 2025-05-26 (2 frames)")).toBeVisible();
  await expect(list.getByText("26 May 2025 · VV, VH")).toHaveCount(1, { timeout: 120_000 });

  await page.getByRole("link", { name: "Prepare" }).click();
  await expect(page.getByText("1 date lacks a precise orbit.")).toBeVisible();
  await page.getByRole("button", { name: "Fetch 1 orbit file" }).click();
  await expect(
    page.getByRole("gridcell", {
      name: /^Orbit, LANTERN1, 2025-05-26 \(2 frames\): waiting, precise/,
    }),
  ).toBeVisible({ timeout: 90_000 });
  await page.getByRole("button", { name: /^Fetch elevation, 11/ }).click();
  await expect(page.getByText("There is no elevation in this study.")).toHaveCount(0, {
    timeout: 90_000,
  });
  await expect(page.getByRole("gridcell", { name: /^Terrain, .*: waiting/ })).toBeVisible({
    timeout: 120_000,
  });
  await page.getByRole("gridcell", { name: /^Terrain, / }).click();
  await expect(page.getByLabel("Elevation", { exact: true })).toHaveText("Elevation", {
    timeout: 120_000,
  });
});

test("a place: its values on all dates, kept as a pin with what it must show", async ({ page }) => {
  await openStudy(page, "scenes");
  await page
    .getByLabel("Scenes: settings")
    .getByRole("button", { name: /Elevation/ })
    .click();
  await settled(page);
  const map = page.getByLabel("Map of Elevation");
  const box = (await map.boundingBox())!;
  await map.click({ position: { x: box.width / 2, y: box.height / 2 } });
  const card = page.getByRole("region", { name: "Values at this place" });
  // The head, five dates of radar, and the land cover of 15 April.
  await expect(card.getByRole("row")).toHaveCount(7, { timeout: 90_000 });
  await expect(card.getByRole("row", { name: /^15 April – – \w+/ })).toBeVisible();
  await expect(
    card.getByText("Without values: LANTERN1, 3 May, ascending (held out of the chain)."),
  ).toBeVisible();
  await accessible(page);
  await card.getByLabel("Name of the pin").fill("Middle of the map");
  await card.getByRole("button", { name: "Keep as pin" }).click();
  const pins = page.getByLabel("Scenes: settings");
  await expect(pins.getByText("nothing expected", { exact: true })).toBeVisible();
  await pins.getByRole("button", { name: "Expect …" }).click();
  await page.getByLabel("Tolerance").fill("60");
  await page.getByLabel("Tolerance").press("Enter");
  await page.getByRole("button", { name: "Expect this" }).click();
  await expect(pins.getByLabel("as expected", { exact: true })).toBeVisible();
  await pins.getByRole("button", { name: "Change" }).click();
  await page.getByLabel("Tolerance").fill("0.001");
  await page.getByLabel("Tolerance").press("Enter");
  await page.getByRole("button", { name: "Expect this" }).click();
  await expect(pins.getByLabel("not as expected")).toBeVisible();
  await pins.getByRole("button", { name: "Remove pin Middle of the map" }).click();
  await expect(pins.getByText("Middle of the map")).toHaveCount(0);
});
