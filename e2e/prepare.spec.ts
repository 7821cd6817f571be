import { expect, test } from "@playwright/test";
import { accessible, openStudy, settled } from "./support";

test("the board: settings for every date and for one, what is stale, what is kept", async ({
  page,
}) => {
  const errors: string[] = [];
  page.on("pageerror", (error) => errors.push(error.message));
  await openStudy(page, "prepare");
  const cell = (step: string, day: string) =>
    page.getByRole("gridcell", { name: new RegExp(`^${step}, LANTERN1, ${day}:`) });
  await expect(page.getByRole("button", { name: "Everything is run" })).toBeDisabled();
  await expect(cell("Orbit", "8 April")).toHaveAccessibleName(/done.*with a warning/);
  await expect(cell("Terrain", "14 May")).toHaveAccessibleName(/done/);
  await settled(page);
  await accessible(page);
  await page.getByRole("columnheader", { name: /^Orbit/ }).click();
  await expect(
    page.getByRole("status").filter({ hasText: "There is no orbit file for this pass" }),
  ).toContainText("8 April.");

  // One date gets a step of its own: from there on it is stale, before it nothing is.
  await cell("Speckle", "14 May").click();
  await page.getByRole("radio", { name: "Only 14 May" }).click();
  await page.getByRole("button", { name: "Use this step" }).click();
  await expect(cell("Speckle", "14 May")).toHaveAccessibleName(
    /changed since it was run.*exception/,
  );
  await expect(cell("Terrain", "14 May")).toHaveAccessibleName(/changed since it was run/);
  await expect(cell("Calibrate", "14 May")).toHaveAccessibleName(/: done/);
  await expect(cell("Speckle", "2 May")).toHaveAccessibleName(/skipped/);
  await settled(page);

  // An even field on the lake of the plain: fewer grains after the filter.
  await page.getByRole("button", { name: "Mark an even field" }).click();
  await page.mouse.move(300, 300);
  await page.mouse.down();
  await page.mouse.move(330, 320, { steps: 4 });
  await page.mouse.up();
  const looks = page.locator("dt", { hasText: "Equivalent looks" }).locator("+ dd");
  await expect(looks).toHaveText(/[\d.]+ → [\d.]+/, { timeout: 90_000 });
  const [before, after] = (await looks.textContent())!
    .split("→")
    .map((t) => Number(t.replace(/[^\d.]/g, ""))) as [number, number];
  expect(after).toBeGreaterThan(before * 1.5);

  await page.getByRole("button", { name: "Run this date" }).click();
  await expect(page.getByRole("button", { name: "This date is run" })).toBeVisible({
    timeout: 150_000,
  });
  await expect(cell("Terrain", "14 May")).toHaveAccessibleName(/done/);
  // Back again: the first result is still kept, nothing is left to run.
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("button", { name: "Everything is run" })).toBeDisabled();
  await page.getByRole("button", { name: /^Delete 1 old result/ }).click();
  await expect(page.getByRole("button", { name: /old result/ })).toHaveCount(0);
  expect(errors).toEqual([]);
});

test("an order that makes no sense is refused with the reason; arrow keys walk the board", async ({
  page,
}) => {
  await openStudy(page, "prepare");
  await page.getByRole("columnheader", { name: /^Calibrate/ }).click();
  await page.getByRole("radio", { name: "σ⁰" }).click();
  const flatten = page.getByRole("gridcell", { name: /^Flatten, LANTERN1, 2 May:/ });
  await expect(flatten).toHaveAccessibleName(/cannot run/);
  await flatten.click();
  await expect(
    page
      .getByRole("alert")
      .filter({ hasText: "Flatten needs beta nought, not sigma nought" })
      .first(),
  ).toBeVisible();
  await page.keyboard.press("ArrowRight");
  await expect(page.getByRole("gridcell", { name: /^Terrain, LANTERN1, 2 May:/ })).toBeFocused();
  await page.keyboard.press("Control+z");
  await expect(flatten).toHaveAccessibleName(/: done/);
});
