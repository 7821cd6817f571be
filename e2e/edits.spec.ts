import { type Page, expect, test } from "@playwright/test";
import { accessible, openStudy, settled } from "./support";

const map = (page: Page) => page.getByRole("application").first();

/** A place of the map as shares of its width and height, on the screen. */
async function at(page: Page, across: number, down: number): Promise<[number, number]> {
  const box = (await map(page).boundingBox())!;
  return [box.x + across * box.width, box.y + down * box.height];
}

const history = (page: Page) => page.getByRole("list", { name: "Edits" }).getByRole("button");

/** Area of the first class with edits, km². */
const editedKm2 = async (page: Page): Promise<number> =>
  Number(
    await page
      .getByRole("table", { name: "Areas with edits" })
      .getByRole("row")
      .nth(1)
      .getByRole("cell")
      .nth(1)
      .textContent(),
  );

test("a patch is drawn, cut, given another class, taken back; the edited map is written", async ({
  page,
}) => {
  await openStudy(page, "review");
  await page.getByRole("radio", { name: "Edits" }).click();
  await expect(history(page).last()).toHaveText(/as it was written/, { timeout: 120_000 });
  // Only now: the page of patches asks for a name too, and gives way to this one.
  await page.getByLabel("Your name").fill("Ann");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "as Ann" })).toBeVisible();
  await settled(page);
  await accessible(page);
  const written = await editedKm2(page);

  await page.getByRole("button", { name: "Draw", exact: true }).click();
  for (const [across, down] of [
    [0.6, 0.14],
    [0.66, 0.14],
    [0.66, 0.2],
  ] as const) {
    await page.mouse.click(...(await at(page, across, down)));
    // Two clicks in a moment are one that ends the outline.
    await page.waitForTimeout(400);
  }
  await page.mouse.dblclick(...(await at(page, 0.6, 0.2)));
  await expect(history(page).first()).toHaveText(/patch drawn.*here/);
  await expect.poll(() => editedKm2(page)).toBeGreaterThan(written + 0.1);
  const drawn = await editedKm2(page);
  await page.keyboard.press("Escape");

  await page.keyboard.press("c");
  await page.mouse.click(...(await at(page, 0.63, 0.12)));
  await page.waitForTimeout(400);
  await page.mouse.dblclick(...(await at(page, 0.63, 0.23)));
  await expect(history(page).first()).toHaveText(/patch cut in 2.*here/);
  expect(await editedKm2(page)).toBeCloseTo(drawn, 3);

  await page.mouse.click(...(await at(page, 0.61, 0.17)));
  await page.getByRole("combobox", { name: "Class of the picked patch" }).click();
  await page.getByRole("option").nth(1).click();
  await expect(history(page).first()).toHaveText(/class of 1 patch changed.*here/);
  await expect.poll(() => editedKm2(page)).toBeLessThan(drawn - 0.05);
  await page.keyboard.press("Control+z");
  await expect.poll(() => editedKm2(page)).toBeCloseTo(drawn, 3);
  await expect(history(page).nth(1)).toHaveText(/here/);
  await history(page).first().click();
  await expect.poll(() => editedKm2(page)).toBeLessThan(drawn - 0.05);
  const last = await editedKm2(page);

  await page.getByLabel("Name of the edited map").fill("Put right");
  await page.getByRole("button", { name: "Write edited map" }).click();
  await page.waitForURL(/\/tally\?map=/, { timeout: 120_000 });
  const both = page.getByRole("table", { name: "Areas before and after edits" });
  await expect(both.getByRole("row").nth(1).getByRole("cell").nth(0)).toHaveText(
    written.toFixed(3),
  );
  await expect(both.getByRole("row").nth(1).getByRole("cell").nth(1)).toHaveText(last.toFixed(3));
  await accessible(page);
});
