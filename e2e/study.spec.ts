import { expect, test } from "@playwright/test";
import { FILES } from "@hindglance/world/names";
import { accessible, base, settled, demoFile, jsonOf, openStudy } from "./support";

test("by keyboard alone: begin a study, add files, compare", async ({ page }) => {
  await page.goto(base());
  await expect(page.getByRole("heading", { name: "Studies" })).toBeVisible();
  await accessible(page);
  const press = async (name: RegExp) => {
    for (let i = 0; i < 60; i++) {
      await page.keyboard.press("Tab");
      const t = await page.evaluate(() => {
        const element = document.activeElement as HTMLElement;
        return element.getAttribute("aria-label") ?? element.textContent ?? "";
      });
      if (name.test(t)) {
        await page.keyboard.press("Enter");
        return;
      }
    }
    throw new Error(`No ${name} within 60 stops`);
  };
  await press(/^New study$/);
  await expect(page.getByRole("dialog")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toHaveCount(0);
  await expect(page.getByRole("button", { name: "New study" })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(page.getByLabel("Name")).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(page.getByText("Give the study a name")).toBeVisible();
  await page.keyboard.type("Keyboard study");
  await page.getByLabel("Event date").fill("2025-05-12");
  await accessible(page);
  await page.getByLabel("Name").press("Enter");
  await page.waitForURL(/scenes/);
  await expect(page.getByText("No scene yet")).toBeVisible();
  await accessible(page);

  // Text that is no image, then the real files.
  await page.getByLabel("Files", { exact: true }).setInputFiles([
    {
      name: "notes.tif",
      mimeType: "image/tiff",
      buffer: Buffer.from("these are only notes, not an image"),
    },
    { name: "photo.xyz", mimeType: "text/plain", buffer: Buffer.from("x") },
  ]);
  await expect(page.getByText(/notes\.tif: This is not a TIFF/)).toBeVisible();
  await expect(page.getByText(/photo\.xyz: files of this kind cannot be read/)).toBeVisible();
  await page
    .getByLabel("Files", { exact: true })
    .setInputFiles([demoFile(FILES.before), demoFile(FILES.after)]);
  await expect(page.getByText("2 May 2025 · VV, VH")).toBeVisible({ timeout: 120_000 });
  await expect(page.getByText("14 May 2025 · VV, VH")).toBeVisible({ timeout: 120_000 });
  await settled(page);
  await accessible(page);

  await page.getByRole("link", { name: "Compare" }).focus();
  await page.keyboard.press("Enter");
  await expect(page.getByText("exact")).toBeVisible({ timeout: 120_000 });
  await page.getByRole("radio", { name: /^Limits/ }).click();
  // No study area and no elevation: those limits are not there, the others are.
  await expect(page.getByRole("button", { name: "inside study area" })).toHaveCount(0);
  await expect(page.getByRole("button", { name: /^slope/ })).toHaveCount(0);
  await expect(page.getByRole("button", { name: /seen on both dates/ })).toBeVisible();

  await page.goto(base());
  await page.getByRole("button", { name: "Delete Keyboard study" }).click();
  await expect(page.getByRole("alertdialog")).toContainText("2 scenes");
  await page.getByRole("button", { name: "Delete the study" }).click();
  await expect(page.getByText("“Keyboard study” was deleted.")).toBeVisible();
  await expect(page.getByRole("button", { name: /Keyboard study/ })).toHaveCount(0);
});

test("a file that does not say what it is is asked about", async ({ page }) => {
  const made = await jsonOf<{ id: string }>(
    page.request.post(`${base()}/api/studies`, {
      data: { name: "Questions", hazard: "flood" },
    }),
  );
  await page.goto(`${base()}/studies/${made.id}/scenes`);
  const { buildTiff, UTM27S_KEYS, at } = await import("@hindglance/formats/testing/buildTiff");
  await page.getByLabel("Files", { exact: true }).setInputFiles({
    name: "unnamed.tif",
    mimeType: "image/tiff",
    buffer: Buffer.from(
      buildTiff({
        width: 40,
        height: 30,
        value: (c, r) => 0.1 + 0.001 * (c + r),
        extra: [...UTM27S_KEYS, ...at(490000, 5175000, 20)],
      }),
    ),
  });
  const ask = page.getByRole("region", { name: "Questions about unnamed.tif" });
  await expect(ask).toBeVisible();
  await expect(ask.getByRole("button", { name: "Import" })).toBeDisabled();
  // The question is still there after the page was closed.
  await page.reload();
  await ask.getByLabel("Kind").click();
  await page.getByRole("option", { name: "Radar, calibrated" }).click();
  await ask.getByLabel("Taken on").fill("2025-05-02");
  await ask.getByLabel("Polarisation of band 1").click();
  await page.getByRole("option", { name: "VV" }).click();
  await accessible(page);
  await ask.getByRole("button", { name: "Import" }).click();
  await expect(page.getByText("2 May 2025 · VV")).toBeVisible({ timeout: 90_000 });
  await page.getByRole("link", { name: "Compare" }).click();
  await expect(page.getByText("Two dates are needed")).toBeVisible();
  await page.getByRole("link", { name: "Tally" }).click();
  await expect(page.getByText("Nothing to count yet")).toBeVisible();
  await page.request.delete(`${base()}/api/studies/${made.id}`);
});

test("scenes: card, stretch, three bands, drawing a study area", async ({ page }) => {
  const id = await openStudy(page, "scenes");
  await settled(page);
  await expect(page.getByText(/2.900 × 2.500 cells/)).toBeVisible();
  await expect(page.getByText("sensor geometry, may be mirrored · east is left")).toBeVisible();
  await expect(
    page.getByText(/of the scene lies away from the study area and was left out/),
  ).toBeVisible();
  await page.getByRole("radio", { name: "Three bands" }).click();
  await page.getByLabel("Stretch", { exact: true }).click();
  await page.getByRole("option", { name: /^2 σ/ }).click();
  await page.getByRole("radio", { name: "View", exact: true }).click();
  await page.getByLabel("Gamma").fill("1.4");
  await page.keyboard.press("Enter");
  await settled(page);
  await page.mouse.move(500, 300);
  await expect(page.getByText(/^VV/).last()).toBeVisible();
  await accessible(page);
  const area = (
    await jsonOf<{ studyArea: object }>(page.request.get(`${base()}/api/studies/${id}`))
  ).studyArea;
  // A picture in sensor geometry does not lie on the map: there the outline is drawn on the
  // footprints.
  await page.getByRole("button", { name: "Draw anew" }).click();
  await expect(page.getByLabel("Footprints of the scenes")).toBeVisible();
  await page.getByRole("button", { name: "Stop drawing" }).click();
  await expect(page.getByLabel("Footprints of the scenes")).toHaveCount(0);
  await page.getByRole("button", { name: /^Elevation/ }).click();
  await settled(page);
  await page.getByRole("button", { name: "Draw anew" }).click();
  for (const [x, y] of [
    [300, 200],
    [600, 220],
    [580, 500],
  ] as const) {
    await page.mouse.click(x, y);
    await page.waitForTimeout(400);
  }
  await page.mouse.dblclick(320, 480);
  await expect(page.getByText("The study area is set.")).toBeVisible();
  const drawn = (
    await jsonOf<{
      studyArea: { coordinates: number[][][][] };
    }>(page.request.get(`${base()}/api/studies/${id}`))
  ).studyArea;
  expect(drawn.coordinates[0]![0]!.length).toBeGreaterThanOrEqual(5);
  await page.request.patch(`${base()}/api/studies/${id}`, { data: { studyArea: area } });
});

test("addresses that lead nowhere say so", async ({ page }) => {
  await page.goto(`${base()}/studies/00000000-0000-0000-0000-000000000000/compare`);
  await expect(page.getByText("There is no such study")).toBeVisible();
  await page.goto(`${base()}/nowhere`);
  await expect(page.getByText("There is no page at this address.")).toBeVisible();
});
