import { chromium } from "@playwright/test";
import config from "./playwright.config";

// Pictures for the README from a running server with the demo studies: npm run screenshots [--
// address]
const base = process.argv[2] ?? "http://127.0.0.1:5170";
const folder = "docs/screenshots";
process.env.HG_BASE = base;
const { BASIN, FIRE, openStudy, settled } = await import("./support");

const browser = await chromium.launch(config.use!.launchOptions);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = async (name: string) => {
  await settled(page);
  await page.screenshot({ path: `${folder}/${name}.png` });
  console.log(`${folder}/${name}.png`);
};

await page.goto(`${base}/`);
await page.getByText("Ombrel flood").first().waitFor();
await shot("studies");
await openStudy(page, "scenes");
await shot("scenes");
await page.getByRole("button", { name: "Archive", exact: true }).click();
await page.getByText("7 results").waitFor();
await page.getByLabel("Fetch LANTERN1, 2025-05-26, frame 1").check();
await shot("archive");
await openStudy(page, "scenes");
await page
  .getByLabel("Scenes: settings")
  .getByRole("button", { name: /14 May/ })
  .click();
await settled(page);
await page.getByLabel(/^Map of LANTERN1, 14 May/).click({ position: { x: 330, y: 330 } });
await page.getByRole("region", { name: "Values at this place" }).getByRole("row").nth(5).waitFor();
await shot("values");
await openStudy(page, "scenes", "", FIRE);
await page
  .getByLabel("Scenes: settings")
  .getByRole("button", { name: /15 February/ })
  .click();
await page.getByRole("button", { name: "Colour infrared" }).click();
await settled(page);
await page.getByLabel(/^Map of HELIO2/).click({ position: { x: 560, y: 200 } });
await page.getByRole("img", { name: /^Spectra of/ }).waitFor();
await page.mouse.move(100, 600);
await shot("optical");
await openStudy(page, "prepare");
await page.getByRole("columnheader", { name: /^Flatten/ }).click();
await page.getByText("Gives gamma nought of terrain").waitFor();
await shot("prepare");
await openStudy(page, "prepare", "", FIRE);
await page.getByRole("gridcell", { name: /^Haze, HELIO2, 21 December 2024/ }).click();
await page.getByText("What the step found").waitFor();
await page.getByRole("button", { name: "Haze map" }).click();
await shot("prepare-haze");
await openStudy(page, "align", "", FIRE);
await page.getByRole("list", { name: "Dates" }).getByText("HELIO2, 19 November 2024").click();
await page.getByText("This offset is taken off.").waitFor();
await page.getByRole("button", { name: "Edges", exact: true }).click();
await shot("align");
await page.getByRole("radio", { name: "Control points" }).click();
await settled(page);
for (const [x, y] of [
  [130, 160],
  [330, 170],
  [120, 420],
  [340, 430],
] as const) {
  for (const name of ["The date, to be marked", "The reference, to be marked"]) {
    await page.getByRole("application", { name }).click({ position: { x, y } });
  }
}
await page
  .getByRole("application", { name: "The date, to be marked" })
  .hover({ position: { x: 240, y: 300 } });
await shot("align-points");
// The study is left as it was.
for (let k = 0; k < 4; k++) {
  await page.getByRole("button", { name: "Undo" }).click();
  await page.waitForTimeout(400);
}
await openStudy(page, "compare", "", FIRE);
await page.getByText("· exact").waitFor();
await settled(page);
await shot("compare-fire");
await page.getByRole("radio", { name: "Groups", exact: true }).click();
await page.getByRole("list", { name: "Groups found" }).getByRole("listitem").nth(5).waitFor();
await shot("compare-groups");
await page.getByRole("radio", { name: "Rules", exact: true }).click();
await page.waitForTimeout(1500);
await openStudy(page, "compare");
await page.getByText("· exact").waitFor();
await shot("compare");
await openStudy(page, "review");
await page
  .getByRole("table", { name: "Patches" })
  .locator("[role=row][aria-selected]")
  .nth(0)
  .click();
await page.getByLabel("Your name").fill("Ines");
await page.getByLabel("Your name").press("Enter");
for (const key of ["r", "r", "f", "r", "k", "k"]) {
  await page.keyboard.press(key);
}
await page.getByText(/^Ines: false/).waitFor();
await page.getByRole("button", { name: "doubt", exact: true }).first().click();
await shot("review");
await page.getByRole("radio", { name: "Accuracy" }).click();
await page.getByRole("button", { name: /^Draw \d+ places/ }).click();
await page.getByText(/^Place 1 of/).waitFor();
await shot("accuracy");
await openStudy(page, "tally");
await page.getByRole("radio", { name: "Without rejected" }).click();
await shot("tally");
await page.getByRole("radio", { name: "Every date" }).click();
await page.getByRole("img", { name: /^Area of water/ }).waitFor({ timeout: 120_000 });
await shot("tally-dates");
await openStudy(page, "report");
await shot("report");
await openStudy(page, "classify", "", BASIN);
await page.getByRole("radio", { name: "Classes", exact: true }).click();
await page.getByText("Every pair of classes lies apart.").waitFor();
await shot("classify");
await openStudy(page, "tally", "?of=cover", BASIN);
await page.getByRole("button", { name: /^Wood to Crop:/ }).click();
await shot("tally-cover");
await browser.close();
