import { expect, test } from "@playwright/test";
import { accessible, base, openStudy } from "./support";

test("servers and workers are seen from any page; one is drained, and works again", async ({
  page,
}) => {
  await openStudy(page, "scenes");
  await page.getByRole("button", { name: /runs?\b/i }).click();
  await page.getByRole("link", { name: "Servers and workers" }).click();
  await expect(page).toHaveURL(`${base()}/workers`);
  await expect(page.getByText("Serving")).toHaveCount(1);
  await expect(page.getByText(/^2 workers on 1 host; \d at work\.$/)).toBeVisible();
  await accessible(page);
  const [row] = await page.getByRole("row", { name: /worker, process/ }).all();
  await row!.getByRole("button", { name: /^Drain/ }).click();
  await expect(page.getByText(/^1 worker on 1 host; \d at work\.$/)).toBeVisible();
  await expect(row!.getByText(/^Drain(ed|ing): /)).toBeVisible();
  await accessible(page);
  await row!.getByRole("button", { name: /^Let it work again/ }).click();
  await expect(page.getByText(/^2 workers on 1 host; \d at work\.$/)).toBeVisible();
});
