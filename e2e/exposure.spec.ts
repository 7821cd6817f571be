import { expect, test } from "@playwright/test";
import { accessible, openStudy } from "./support";

test("exposure: people, assets, roads cut and land cover are counted, shown on the map, and saved", async ({
  page,
}) => {
  await openStudy(page, "tally");
  await page.getByRole("radio", { name: "Exposure" }).click();
  await expect(page.getByText("Nothing is counted yet")).toBeVisible({ timeout: 120_000 });
  await expect(page.getByRole("button", { name: "roads" }).first()).toHaveAttribute(
    "aria-pressed",
    "true",
  );
  await page.getByRole("button", { name: "Count", exact: true }).click();
  const people = page.getByRole("table", { name: "People by class" });
  await expect(people).toBeVisible({ timeout: 120_000 });
  await expect(page.getByRole("heading", { level: 1 })).toContainText("people on new water");
  const all = people.getByRole("row").last().getByRole("cell").first();
  expect(Number((await all.textContent())!.replace(/\s/g, ""))).toBeGreaterThan(1000);
  await expect(page.getByRole("table", { name: "Land cover by class" })).toContainText("Crop");
  const cuts = page.getByRole("list", { name: "Roads cut" }).getByRole("button");
  await expect(cuts.first()).toContainText(/parts Dam house from .*; dry way round 3\d\.\d km/);
  await cuts.first().click();
  await accessible(page);
  const saved = page.waitForEvent("download");
  await page.getByRole("link", { name: "CSV" }).click();
  expect((await saved).suggestedFilename()).toMatch(/_exposure\.csv$/);
});
