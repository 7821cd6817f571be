import { readFileSync } from "node:fs";
import { encode } from "fast-png";
import { expect, test } from "@playwright/test";
import { FIRE, accessible, base, settled, demoFile, jsonOf, openStudy } from "./support";

test("a date that lies off: measured against its truth, its residuals and edges, taken away and moved again", async ({
  page,
}) => {
  await openStudy(page, "align", "", FIRE);
  const desk = page.getByLabel("Align: settings");
  await desk.getByRole("list", { name: "Dates" }).getByText("HELIO2, 19 November 2024").click();
  await expect(desk.getByText("This offset is taken off.")).toBeVisible({ timeout: 90_000 });
  await desk.getByRole("button", { name: "Take it away" }).click();
  await expect(desk.getByText("Not measured yet.")).toBeVisible();
  await desk.getByRole("button", { name: "Measure offset" }).click();
  await expect(desk.getByText("Measured, not yet taken.")).toBeVisible({ timeout: 120_000 });
  // The world knows its ground at 10 m and moved it by whole cells of that: here, with the turn, by
  // five of them west and two south, a third of a cell of the date each.
  const found = (await desk
    .getByText(/cells$/)
    .first()
    .textContent())!
    .replace(/−/g, "-")
    .match(/([+-][\d.]+), ([+-][\d.]+) cells/)!;
  expect(Math.abs(Number(found[1]) + 5 / 3)).toBeLessThan(0.1);
  expect(Math.abs(Number(found[2]) - 2 / 3)).toBeLessThan(0.1);
  await desk.getByRole("button", { name: "Move this date" }).click();
  await expect(desk.getByText("This offset is taken off.")).toBeVisible();
  // What was taken off can be taken back, and taken off again.
  const moved = desk.getByText(/^moved [\d.]+ cells/);
  await expect(moved).toBeVisible();
  await desk.getByRole("button", { name: "Undo" }).click();
  await expect(moved).toBeHidden();
  await desk.getByRole("button", { name: "Measure offset" }).click();
  await desk.getByRole("button", { name: "Move this date" }).click({ timeout: 120_000 });
  await expect(desk.getByText("This offset is taken off.")).toBeVisible();
  for (const chip of ["Edges", "Aligned"]) {
    await page.getByRole("button", { name: chip, exact: true }).click();
  }
  await expect(page.getByText("As it came")).toBeVisible();
  await page.getByRole("button", { name: "Aligned", exact: true }).click();
  await settled(page);
  await accessible(page);
  await desk.getByRole("button", { name: "Measure", exact: true }).click();
  await expect(desk.getByRole("img", { name: /^Scatter of B1/ })).toBeVisible({ timeout: 120_000 });
  await expect(desk.getByText(/cells looked at serve/)).toBeVisible();
});

test("a picture without position: points clicked in both, a table with residuals, files, undo; then it lies on the map", async ({
  page,
}) => {
  const made = await jsonOf<{ id: string }>(
    page.request.post(`${base()}/api/studies`, { data: { name: "Sheet", hazard: "other" } }),
  );
  const api = `${base()}/api/studies/${made.id}`;
  const add = async (name: string, body: Buffer | Uint8Array, more: object) => {
    const unit = await jsonOf<{ id: string }>(
      page.request.post(`${api}/uploads?name=${name}`, {
        data: Buffer.from(body),
        headers: { "content-type": "application/octet-stream" },
      }),
    );
    const r = await jsonOf<{ runId: string }>(
      page.request.post(`${api}/scenes`, { data: { uploadId: unit.id, ...more } }),
    );
    await expect
      .poll(
        async () =>
          (
            await jsonOf<{
              state: string;
            }>(page.request.get(`${base()}/api/runs/${r.runId}`))
          ).state,
        { timeout: 90_000 },
      )
      .toBe("done");
  };
  await add("HELIO_EVI_A2024001.tif", readFileSync(demoFile("greenness/HELIO_EVI_A2024001.tif")), {
    kind: "other",
  });
  await add(
    "sheet.png",
    encode({
      width: 300,
      height: 220,
      channels: 1,
      data: Uint8Array.from({ length: 66_000 }, (_v, i) =>
        (((i % 300) >> 4) + (Math.floor(i / 300) >> 4)) % 2 ? 220 : 60,
      ),
    }),
    { kind: "other", acquiredAt: "2023-01-01T00:00:00Z" },
  );
  await page.goto(`${base()}/studies/${made.id}/align`);
  const desk = page.getByLabel("Align: settings");
  const date = page.getByRole("application", { name: "The date, to be marked" });
  const reference = page.getByRole("application", { name: "The reference, to be marked" });
  await desk.getByRole("list", { name: "Dates" }).getByText("sheet").click();
  await expect(desk.getByText(/3 more points are needed/)).toBeVisible();
  await settled(page);
  const mark = async (x: number, y: number) => {
    await date.click({ position: { x, y } });
    await expect(page.getByText("Now click the same place here")).toBeVisible();
    await reference.click({ position: { x: x + 12, y: y - 9 } });
  };
  for (const [x, y] of [
    [90, 190],
    [380, 200],
    [100, 430],
  ] as const) {
    await mark(x, y);
  }
  const list = desk.getByRole("list", { name: "Control points" });
  await expect(list.getByRole("listitem")).toHaveCount(3);
  await expect(desk.getByText(/exactly as many points as the transform needs/)).toBeVisible();
  await mark(360, 420);
  await expect(desk.getByText(/^0\.\d\d cells · /).first()).toBeVisible();
  await accessible(page);
  // Typed coordinates that are far off are pointed at.
  await mark(240, 300);
  await mark(200, 350);
  await list.getByRole("button", { name: "5", exact: true }).click();
  await desk.getByLabel("Column of 5").fill("20");
  await desk.getByLabel("Column of 5").press("Enter");
  await expect(desk.getByText(/Point 5 spoils the fit/)).toBeVisible();
  await desk.getByRole("button", { name: "Undo" }).click();
  await expect(desk.getByText(/spoils the fit/)).toHaveCount(0);
  // Files: what goes out comes in again, a broken one says where.
  const [saved] = await Promise.all([
    page.waitForEvent("download"),
    desk.getByRole("button", { name: "CSV" }).click(),
  ]);
  const text = readFileSync(await saved.path(), "utf8");
  expect(text.split("\r\n")).toHaveLength(8);
  await desk.getByLabel("File of control points").setInputFiles({
    name: "broken.csv",
    mimeType: "text/csv",
    buffer: Buffer.from(text.replace(/\r\n2,[^,]+/, "\r\n2,east")),
  });
  await expect(
    page
      .getByRole("alert")
      .filter({ hasText: 'broken.csv, line 3: scene_x is "east", which is no number' }),
  ).toBeVisible();
  await page.getByRole("alert").getByRole("button", { name: "Dismiss" }).click();
  await desk.getByRole("button", { name: "Lay over" }).click();
  await expect(page.getByText("Date", { exact: true })).toBeVisible();
  await settled(page);
  await expect(desk.getByText("6 control points")).toBeVisible();
});
