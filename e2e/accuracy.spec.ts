import { type Page, expect, test } from "@playwright/test";
import { accessible, base, jsonOf, openStudy, settled } from "./support";

test("doubt of a map: patches by it, its reasons, on the map, areas beside the mapped ones", async ({
  page,
}) => {
  await openStudy(page, "review");
  const table = page.getByRole("table", { name: "Patches" });
  const rows = table.locator("[role=row][aria-selected]");
  await expect(rows.first()).toBeVisible({ timeout: 120_000 });
  const doubts = async () =>
    Promise.all(
      [0, 1, 2, 3].map(async (k) =>
        Number(await rows.nth(k).getByRole("cell").nth(6).textContent()),
      ),
    );
  await table.getByRole("button", { name: "doubt" }).click();
  await expect(async () => {
    const found = await doubts();
    expect(found[0]).toBeGreaterThan(5);
    expect(found).toEqual([...found].sort((a, b) => b - a));
  }).toPass();
  await page.keyboard.press("j");
  const figure = page.getByTestId("picked").getByRole("button", { name: /^doubt / });
  await figure.focus();
  await expect(page.getByRole("tooltip")).toContainText("of its cells lie at its edge");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "doubt", exact: true }).first().click();
  await expect(page.getByText("Doubt of a cell")).toBeVisible();
  await settled(page);
  await accessible(page);
  await page.getByRole("link", { name: /^Tally/ }).click();
  const areas = page.getByRole("table", { name: "Areas mapped, probable and adjusted" });
  await expect(areas.getByRole("row").nth(1)).toContainText("New water");
  const [mapped, probable, half] = await Promise.all(
    [0, 1, 2].map(async (k) =>
      Number(await areas.getByRole("row").nth(1).getByRole("cell").nth(k).textContent()),
    ),
  );
  expect(Math.abs(probable! - mapped!)).toBeLessThan(10 * half!);
});

/** Lets Ben look at the second place of the newest sample of a study; gives what lets him look at others. */
async function benLooks(page: Page, study: string) {
  const api = `${base()}/api`;
  const maps = await jsonOf<{ id: string }[]>(
    page.request.get(`${api}/studies/${study}/change-maps`),
  );
  const lists = await Promise.all(
    maps.map(({ id }) =>
      jsonOf<{ id: string }[]>(page.request.get(`${api}/change-maps/${id}/samples`)),
    ),
  );
  const sample = lists.flat()[0]!.id;
  const look = (number: number) =>
    page.request.post(`${api}/samples/${sample}/looks`, {
      data: { interpreter: "Ben", number, label: 0, note: "" },
    });
  await look(2);
  return look;
}

test("accuracy: a sample is planned and drawn, looked at blind by keys, kept, and told as a matrix", async ({
  page,
}) => {
  const study = await openStudy(page, "review");
  await page.getByRole("radio", { name: "Accuracy" }).click();
  await expect(page.getByRole("table", { name: "Places by class" })).toBeVisible({
    timeout: 120_000,
  });
  // What makes no sense is said at its field.
  const least = page.getByLabel("Places of every class at least");
  await least.fill("1");
  await least.press("Enter");
  await expect(page.getByRole("alert")).toContainText("from 2");
  await least.fill("4");
  await least.press("Enter");
  const near = page.getByLabel("Places near change");
  await near.fill("6");
  await near.press("Enter");
  const error = page.getByLabel("Standard error, percent");
  await error.fill("10");
  await error.press("Enter");
  const draw = page.getByRole("button", { name: /^Draw \d+ places/ });
  const places = Number(/\d+/.exec((await draw.textContent())!)![0]);
  expect(places).toBeLessThan(60);
  await draw.click();
  await expect(page.getByText(`Place 1 of ${places}`)).toBeVisible({ timeout: 90_000 });
  await expect(page.getByRole("group", { name: "The place on both dates" })).toBeVisible();
  // Nothing is said without a name, and nothing on the page says what the map has there.
  await page.keyboard.press("a");
  await expect(page.getByText(/^Write your name first/)).toBeVisible();
  await page.getByLabel("Your name").fill("Ines");
  await page.getByLabel("Your name").press("Enter");
  await settled(page);
  await accessible(page);
  const begun = Date.now();
  for (let k = 0; k < places; k++) {
    await page.keyboard.press(k % 3 === 0 ? "s" : "a");
  }
  const desk = page.getByTestId("desk");
  const status = desk.locator("p[role=status]");
  await expect(status).toContainText(`${places} looked at: all of them`, {
    timeout: 90_000,
  });
  console.info(`${places} places by key in ${((Date.now() - begun) / 1000).toFixed(1)} s`);
  // It is all there on another look, and can be taken back.
  await page.reload();
  await expect(status).toContainText(`${places} looked at`, { timeout: 90_000 });
  await page.getByRole("button", { name: "Take back" }).click();
  await expect(status).toContainText(`${places - 1} looked at`);
  await page.keyboard.press("x");
  // Another who looks elsewhere is seen here, without a word of what he sees.
  const look = await benLooks(page, study);
  await expect(page.getByLabel("Others who look")).toHaveText("Ben: 1");
  await page.getByRole("radio", { name: "Result" }).click();
  const matrix = page.getByRole("region", { name: "Error matrix" });
  await expect(matrix.getByRole("row").nth(1)).toContainText("No change");
  await expect(page.getByText("1 cannot be told and do not count")).toBeVisible();
  await expect(page.getByText("Ben: 1 place")).toBeVisible();
  await look(3);
  await expect(page.getByText("Ben: 2 places")).toBeVisible();
  await accessible(page);
  await page.getByRole("link", { name: /^Report/ }).click();
  const right = page.getByRole("region", { name: "How right it is" });
  await expect(right.getByText(/places that Ben, Ines could tell/)).toBeVisible();
  await expect(right.getByRole("columnheader", { name: "adjusted" })).toBeVisible();
  await accessible(page);
  await right.getByRole("link").click();
  await page.getByRole("button", { name: "Delete the sample" }).click();
  await page.getByRole("button", { name: "Delete it" }).click();
  await expect(page.getByRole("table", { name: "Places by class" })).toBeVisible();
});
