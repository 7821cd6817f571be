import { expect, test } from "@playwright/test";
import { FIRE, accessible, base, settled, jsonOf, openStudy, shareOf } from "./support";

const km2 = (t: string | null) => Number((t ?? "").replace(/[^\d.]/g, ""));
/** Journeys here change the fire study's comparison; it is put back as it was. */
async function kept(
  page: import("@playwright/test").Page,
  id: string,
  work: () => Promise<void>,
): Promise<void> {
  const was = (await jsonOf<{ compare: object }>(page.request.get(`${base()}/api/studies/${id}`)))
    .compare;
  try {
    await work();
  } finally {
    await page.goto("about:blank");
    await page.request.patch(`${base()}/api/studies/${id}`, { data: { compare: was } });
  }
}

test("groups: like cells are listed with their size and curves, switched off on the map, picked, and become the class", async ({
  page,
}) => {
  const id = await openStudy(page, "compare", "", FIRE);
  await kept(page, id, async () => {
    await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
    const byRules = km2(await page.getByLabel("Area of Moderate to low severity").textContent());
    await page.getByRole("radio", { name: "Groups", exact: true }).click();
    const rows = page.getByRole("list", { name: "Groups found" }).getByRole("listitem");
    await expect(rows).toHaveCount(6, { timeout: 120_000 });
    // A burn is dark in the near infrared after: by the curves, B5 falls by a tenth and more.
    const burned: number[] = [];
    for (const [k, locator] of (await rows.all()).entries()) {
      const said = (await locator.getByRole("img").getAttribute("aria-label"))!;
      const b5 = [...said.matchAll(/B5 (−?[\d.]+)/g)].map((match) =>
        Number(match[1]!.replace("−", "-")),
      );
      expect(b5).toHaveLength(2);
      if (b5[0]! - b5[1]! > 0.06) {
        burned.push(k + 1);
      }
    }
    expect(burned.length).toBeGreaterThan(0);
    expect(burned.length).toBeLessThan(6);
    for (const k of burned) {
      await page.getByRole("combobox", { name: `Class of group ${k}` }).click();
      await page.getByRole("option", { name: "Change" }).click();
    }
    await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
    expect(km2(await page.getByTestId("headline").textContent())).toBeGreaterThan(byRules);
    await accessible(page);
    // The picture under a group that is switched off: its colour leaves the map.
    await settled(page);
    const box = { x: 470, y: 110, width: 430, height: 520 };
    const colour: [number, number, number] = [78, 121, 167];
    const was = await shareOf(page, box, colour, 34);
    await page.getByRole("button", { name: "Group 1 on the map" }).click();
    await settled(page);
    expect(await shareOf(page, box, colour, 34)).toBeLessThan(was);
    // The same on ISODATA, which finds its own number; picks of other groups are not taken over.
    await page.getByRole("radio", { name: "ISODATA" }).click();
    await expect(page.getByLabel(/^Area of Change/)).toContainText("0.00", { timeout: 120_000 });
  });
});

test("a formula of both dates: mistakes are pointed at, the measure follows, its thresholds come from its own histogram", async ({
  page,
}) => {
  const id = await openStudy(page, "compare", "", FIRE);
  await kept(page, id, async () => {
    await page.getByRole("combobox", { name: "Measure" }).click();
    await page.getByRole("option", { name: "Formula" }).click();
    const text = page.getByRole("textbox", { name: "Formula" });
    await expect(text).toHaveValue("after.NBR - before.NBR");
    await text.fill("(before.NBR - after.NBX) / 2");
    await expect(
      page.getByRole("alert").filter({ hasText: 'There is no band called "after.NBX"' }),
    ).toBeVisible();
    await text.fill("sqrt((before.NBR - after.NBR)^2)");
    await text.press("Enter");
    await expect(page.getByText("Counting cells")).toHaveCount(0, { timeout: 90_000 });
    await expect(page.getByLabel(/^High: change >/)).not.toHaveValue("0.100", { timeout: 90_000 });
    await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
    expect(km2(await page.getByLabel("Area of High").textContent())).toBeGreaterThan(1);
  });
});

test("rules and limits are saved as a preset, taken up again, and deleted", async ({ page }) => {
  const id = await openStudy(page, "compare", "", FIRE);
  await kept(page, id, async () => {
    await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
    await page.getByRole("button", { name: "Presets" }).click();
    await page.getByRole("menuitem", { name: /Save these rules/ }).click();
    await page.getByLabel("Name").fill("Ridge severity");
    await page.keyboard.press("Enter");
    await expect(page.getByText("The preset is saved for all studies.")).toBeVisible();
    const field = page.getByLabel("High severity: change ≥", { exact: true });
    const was = await field.inputValue();
    expect(Number(was)).toBeGreaterThan(0.6);
    await field.fill("0.5");
    await field.press("Enter");
    await page.getByRole("button", { name: "Presets" }).click();
    await page.getByRole("menuitem", { name: /Ridge severity/ }).click();
    await expect(field).toHaveValue(was);
    await page.getByRole("button", { name: "Presets" }).click();
    await page.getByRole("button", { name: "Delete preset Ridge severity" }).click();
    await page.getByRole("button", { name: "Delete preset", exact: true }).click();
    await page.getByRole("button", { name: "Presets" }).click();
    await expect(page.getByRole("menuitem", { name: /Burn severity/ })).toBeVisible();
    await expect(page.getByRole("menuitem", { name: /Ridge severity/ })).toHaveCount(0);
  });
});

test("review: patches in the list and on the map are the same, sorted, filtered, gone through by key", async ({
  page,
}) => {
  const errors: string[] = [];
  page.on("pageerror", (error) => errors.push(error.message));
  await openStudy(page, "review");
  const rows = page.getByRole("table", { name: "Patches" }).locator("[role=row][aria-selected]");
  await expect(rows.first()).toBeVisible({ timeout: 120_000 });
  await settled(page);
  const cells = async (k: number) =>
    (await rows.nth(k).getByRole("cell").allTextContents()).map((t) =>
      Number(t.replace(/[^\d.−]/g, "").replace("−", "-")),
    );
  const [first, second] = [await cells(0), await cells(1)];
  expect(first[2]!).toBeGreaterThanOrEqual(second[2]!);
  expect(first[3]!).toBeGreaterThan(0.1);
  await page.keyboard.press("j");
  await expect(page.getByTestId("picked")).toContainText("patch 1 of");
  await page.keyboard.press("j");
  await expect(page.getByTestId("picked")).toContainText("patch 2 of");
  await page.keyboard.press("k");
  await expect(page.getByTestId("picked")).toContainText("patch 1 of");
  await settled(page);
  await page
    .getByRole("button", { name: "change", exact: true })
    .or(page.getByRole("button", { name: "dB", exact: true }))
    .click();
  await expect(page.getByRole("columnheader", { name: "dB" })).toHaveAttribute(
    "aria-sort",
    "descending",
  );
  await expect(rows.nth(1).getByRole("cell")).toHaveCount(8);
  const changes = [(await cells(0))[4]!, (await cells(1))[4]!];
  expect(changes[0]!).toBeGreaterThanOrEqual(changes[1]!);
  await page.getByRole("button", { name: /^all \d classes$/ }).click();
  await page.getByRole("button", { name: "New water" }).click();
  await page.getByRole("button", { name: "Receded water" }).click();
  await expect(page.getByRole("status").filter({ hasText: "patches of" })).toBeVisible();
  // Where the picked patch lies on the map a click picks one.
  await page.getByRole("button", { name: "Standing water" }).click();
  await accessible(page);
  expect(errors).toEqual([]);
});

test("every date by itself: water rises with the event, a date is picked, pins and districts have their curves", async ({
  page,
}) => {
  const id = await openStudy(page, "tally");
  const pin = await jsonOf<{ id: string }>(
    page.request.post(`${base()}/api/studies/${id}/pins`, {
      data: { name: "Mill pond", lon: -20.99, lat: -43.6 },
    }),
  );
  try {
    await page.getByRole("radio", { name: "Every date" }).click();
    await expect(page).toHaveURL(/of=dates/);
    const table = page.getByRole("table", { name: "Area by date" });
    const area = async (day: string) =>
      Number(
        (await table
          .getByRole("row", { name: new RegExp(day) })
          .getByRole("cell")
          .first()
          .textContent())!,
      );
    await expect(
      table
        .getByRole("row", { name: /26 May/ })
        .getByRole("cell")
        .first(),
    ).toHaveText(/\d/, { timeout: 150_000 });
    const before = await area("2 May");
    const after = await area("14 May");
    expect(before).toBeGreaterThan(1);
    expect(after).toBeGreaterThan(4 * before);
    await table.getByRole("button", { name: "2 May 2025" }).click();
    await expect(page.getByRole("heading", { level: 1 })).toContainText(before.toFixed(2));
    await settled(page);
    await expect(page.getByRole("button", { name: "Mill pond" })).toHaveAttribute(
      "aria-pressed",
      "true",
    );
    await page.getByRole("button", { name: "Lowfen" }).first().click();
    await expect(page.getByRole("button", { name: "Lowfen" }).first()).toHaveAttribute(
      "aria-pressed",
      "false",
    );
    await accessible(page);
    // A lower threshold counts less.
    await page.getByLabel("Value", { exact: true }).fill("-19");
    await page.getByLabel("Value", { exact: true }).press("Enter");
    await expect
      .poll(
        async () => {
          const t = await table
            .getByRole("row", { name: /14 May/ })
            .getByRole("cell")
            .first()
            .textContent();
          return /\d/.test(t!) ? Number(t) : after;
        },
        { timeout: 150_000 },
      )
      .toBeLessThan(after);
  } finally {
    await page.request.delete(`${base()}/api/pins/${pin.id}`);
  }
});

test("limits tell what they take; layover and shadow come from Terrain, height above drainage from the elevation", async ({
  page,
}) => {
  const id = await openStudy(page, "compare");
  await kept(page, id, async () => {
    await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
    await page.getByRole("radio", { name: /^Limits/ }).click();
    for (const name of ["Layover and shadow", "Height above drainage", "Elevation"]) {
      await page.getByRole("button", { name: "Limit", exact: true }).click();
      await page.getByRole("menuitem", { name, exact: true }).click();
    }
    const list = page.getByRole("region", { name: "Keep only where" }).getByRole("listitem");
    // In their own order, whatever the order in which they were added.
    await expect(list).toHaveText([
      /seen on both dates/,
      /inside study area/,
      /no layover or shadow/,
      /elevation ≤ 100 m/,
      /slope/,
      /above drainage/,
      /within \d+ cells of another class/,
      /patch/,
    ]);
    await page.getByRole("button", { name: /above drainage/ }).click();
    await page.getByLabel("Metres above drainage").fill("1");
    await page.getByLabel("Metres above drainage").press("Enter");
    await page.keyboard.press("Escape");
    await expect(list.filter({ hasText: "above drainage" })).toContainText(/−[\d.]+ km²/, {
      timeout: 150_000,
    });
    await accessible(page);
  });
});
