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
await openStudy(page, "align", "", FIRE);
await page.getByRole("list", { name: "Dates" }).getByText("HELIO2, 19 November 2024").click();
await page.getByText("This offset is taken off.").waitFor();
await page.getByRole("button", { name: "Edges", exact: true }).click();
await shot("align");
await openStudy(page, "compare", "", FIRE);
await page.getByText("· exact").waitFor();
await settled(page);
await shot("compare-fire");
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
await openStudy(page, "review", "?of=edits");
await page.getByRole("button", { name: /^as it was written/ }).waitFor();
await settled(page);
const box = (await page.getByRole("application").first().boundingBox())!;
const at = (across: number, down: number) =>
  [box.x + across * box.width, box.y + down * box.height] as const;
await page.mouse.click(...at(0.76, 0.47));
await page.keyboard.press("c");
await page.mouse.click(...at(0.74, 0.3));
await page.waitForTimeout(400);
await page.mouse.dblclick(...at(0.74, 0.72));
await page.getByText("patch cut in 2").waitFor();
await shot("edits");
// The study is left as it was.
await page.getByRole("button", { name: "Undo", exact: true }).click();
await page.waitForTimeout(600);
await openStudy(page, "tally");
await page.getByRole("radio", { name: "Without rejected" }).click();
await shot("tally");
await page.getByRole("radio", { name: "Exposure" }).click();
await page.getByRole("button", { name: "Count", exact: true }).click();
await page.getByRole("table", { name: "People by class" }).waitFor({ timeout: 120_000 });
await shot("exposure");
await page.getByRole("radio", { name: "Every date" }).click();
await page.getByRole("img", { name: /^Area of water/ }).waitFor({ timeout: 120_000 });
await shot("tally-dates");
await openStudy(page, "report");
await shot("report");
await openStudy(page, "report", "?of=sheet");
await page.getByRole("button", { name: /^Map of change\. Arrow keys/ }).click();
await shot("sheet");
await openStudy(page, "classify", "", BASIN);
await page.getByRole("radio", { name: "Classes", exact: true }).click();
await page.getByText("Every pair of classes lies apart.").waitFor();
await shot("classify");
await openStudy(page, "tally", "?of=cover", BASIN);
await page.getByRole("button", { name: /^Wood to Crop:/ }).click();
await shot("tally-cover");
await browser.close();
