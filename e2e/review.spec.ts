import { expect, test } from "@playwright/test";
import { accessible, openStudy, settled } from "./support";

test("verdicts by key: marked at once, counted apart, seen by another reviewer, taken back", async ({
  page,
  browser,
}) => {
  await openStudy(page, "review");
  const table = page.getByRole("table", { name: "Patches" });
  const rows = table.locator("[role=row][aria-selected]");
  await expect(rows.first()).toBeVisible({ timeout: 120_000 });
  await settled(page);
  // Nobody speaks without a name.
  await page.keyboard.press("j");
  await page.keyboard.press("r");
  await expect(page.getByText(/^Write your name first/)).toBeVisible();
  await page.getByLabel("Your name").fill("Ines");
  await page.getByLabel("Your name").press("Enter");
  await expect(page.getByText("as Ines")).toBeVisible();
  await expect(page.getByRole("group", { name: "The patch on both dates" })).toBeVisible();
  await accessible(page);

  // A lasso around the middle of the map lists some of the patches.
  const box = (await page.getByRole("application").first().boundingBox())!;
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.getByRole("button", { name: "lasso" }).click();
  await page.mouse.move(x + 150, y);
  await page.mouse.down();
  for (let k = 1; k <= 12; k++) {
    const turn = (k * Math.PI) / 6;
    await page.mouse.move(x + 150 * Math.cos(turn), y + 120 * Math.sin(turn));
  }
  await page.mouse.up();
  await expect(page.getByRole("status").filter({ hasText: /patch(es)? of / })).toBeVisible();
  await page.getByRole("button", { name: "Take the lasso away" }).click();
  await expect(page.getByRole("status").filter({ hasText: /patch(es)? of / })).toHaveCount(0);

  // As fast as the keys go: 100 verdicts over the 50 largest patches, there and back again.
  const begun = Date.now();
  for (let k = 0; k < 50; k++) {
    await page.keyboard.press(k % 5 === 1 ? "f" : "r");
  }
  for (let k = 0; k < 50; k++) {
    await page.keyboard.press("k");
    await page.keyboard.press("o");
    await page.keyboard.press("k");
  }
  const seconds = (Date.now() - begun) / 1000;
  console.info(`100 verdicts and 100 steps by key in ${seconds.toFixed(1)} s`);
  await expect(page.getByTestId("picked")).toContainText("patch 1 of");
  for (let k = 0; k < 10; k++) {
    await page.keyboard.press(k % 5 === 1 ? "f" : "r");
  }
  const signs = async () =>
    Promise.all([0, 1, 2, 3].map((k) => rows.nth(k).getByRole("cell").last().textContent()));
  await page.getByRole("button", { name: "no.", exact: true }).click();
  await page.getByRole("button", { name: "no.", exact: true }).click();
  await page.getByRole("button", { name: "no.", exact: true }).click();
  await expect(async () =>
    expect(await signs()).toEqual(["✓real", "✕false", "✓real", "✓real"]),
  ).toPass();

  // Somebody else on another page: what differs is disputed, and both see it.
  const other = await (await browser.newContext()).newPage();
  await openStudy(other, "review");
  await other.getByLabel("Your name").fill("Ben");
  await other.getByLabel("Your name").press("Enter");
  await expect(
    other.getByRole("table", { name: "Patches" }).locator("[role=row][aria-selected]").first(),
  ).toBeVisible();
  await other.locator("body").press("j");
  await other.locator("body").press("f");
  await expect(async () => expect((await signs())[0]).toBe("≠disputed")).toPass();
  await other.getByRole("button", { name: "history" }).click();
  await expect(other.getByRole("list", { name: "Reviewers" })).toContainText("Ben judged 1 patch");
  await expect(other.getByText(/^Ben and Ines agree on 0 of 1/)).toBeVisible();
  await other.getByRole("button", { name: "Take back" }).first().click();
  await expect(async () => expect((await signs())[0]).toBe("✓real")).toPass();
  await other.close();

  // The tally by verdict: what was rejected is apart.
  await page.getByRole("link", { name: "Tally" }).click();
  const standing = page.getByRole("table", { name: "Areas by verdict" });
  await expect(standing).toBeVisible();
  const figure = async () =>
    Number((await page.getByRole("heading", { level: 1 }).textContent())!.match(/^[\d.]+/)![0]);
  const mapped = await figure();
  await page.getByRole("radio", { name: "Without rejected" }).click();
  await expect(async () => expect(await figure()).toBeLessThan(mapped)).toPass();
  await expect(page.getByText("Rejected", { exact: true })).toBeVisible();
  await accessible(page);

  // Back to where it was: what was said is taken back in Review, all listed at once.
  await page.getByRole("link", { name: "Review" }).click();
  await expect(rows.first()).toBeVisible();
  await page.getByRole("button", { name: "all listed …" }).click();
  const all = page.getByRole("dialog", { name: "All that are listed" });
  await all.getByRole("button", { name: "Open" }).click();
  await expect(async () =>
    expect((await signs()).every((sign) => sign === "open")).toBe(true),
  ).toPass();
});
