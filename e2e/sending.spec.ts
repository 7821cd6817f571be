import { type Page, expect, test } from "@playwright/test";
import { TestServer } from "@hindglance/server/testing/harness";
import { demoFile, jsonOf } from "./support";

// Files that are sent over lines that break, to a server of its own that is killed and started.

const PRODUCT = "LN1_IW_GRDH_1SDV_20250502T184108_20250502T184111_058502_0C0A5E.zip";
const PORT = { PORT: "5197" };

let testServer: TestServer;
let study: string;
test.beforeAll(async () => {
  testServer = await TestServer.start({ workers: 1, env: PORT });
});
test.beforeEach(async ({ page }) => {
  const made = await page.request.post(`${testServer.base}/api/studies`, {
    data: { name: "Sent slowly", hazard: "flood", eventAt: "2025-05-12T00:00:00Z" },
  });
  study = (await jsonOf<{ id: string }>(made)).id;
});
test.afterAll(() => testServer.stop());

interface Arriving {
  id: string;
  name: string;
  size: number;
  length: number;
}
const arriving = (page: Page) =>
  jsonOf<Arriving[]>(page.request.get(`${testServer.base}/api/studies/${study}/arriving`));
const scenes = (page: Page) =>
  jsonOf<{ fileName: string }[]>(
    page.request.get(`${testServer.base}/api/studies/${study}/scenes`),
  );

/** From now on so many bytes a second go over the line; -1: as many as it can. */
async function slow(page: Page, uploadThroughput: number): Promise<void> {
  const devtools = await page.context().newCDPSession(page);
  await devtools.send("Network.enable");
  await devtools.send("Network.emulateNetworkConditions", {
    ...{ offline: false, latency: 0, downloadThroughput: -1, uploadThroughput },
  });
}

const drop = (page: Page, ...names: string[]) =>
  page.getByLabel("Files", { exact: true }).setInputFiles(names.map(demoFile));

/** Waits until bytes of the product have come, and not all of them. */
const underWay = (page: Page) =>
  expect(async () => {
    const product = (await arriving(page)).find(({ name }) => name === PRODUCT);
    expect(product?.size).toBeGreaterThan(0);
    expect(product!.size).toBeLessThan(product!.length);
  }).toPass({ timeout: 120_000, intervals: [100] });

test("a product goes on by itself after the server was killed and started again", async ({
  page,
}) => {
  await page.goto(`${testServer.base}/studies/${study}/scenes`);
  await slow(page, 1_500_000);
  await drop(page, PRODUCT);
  await underWay(page);
  await testServer.kill();
  await expect(page.getByText("No connection: it goes on by itself")).toBeVisible();
  await testServer.restart({ workers: 1, env: PORT });
  await slow(page, -1);
  await expect(page.getByText("No connection: it goes on by itself")).toHaveCount(0, {
    timeout: 90_000,
  });
  await expect(async () => {
    expect((await scenes(page)).map(({ fileName }) => fileName)).toEqual([PRODUCT]);
  }).toPass({ timeout: 120_000 });
  expect(await arriving(page)).toEqual([]);
  await expect(page.getByText("This page broke")).toHaveCount(0);
});

test("four files of which the tab was closed: another page goes on with the same files", async ({
  page,
  context,
}) => {
  const files = [
    PRODUCT,
    "corvane_elevation.tif",
    "corvane_20250502T184110_sigma0.tif",
    "corvane_20250514T184110_sigma0.tif",
  ];
  await page.goto(`${testServer.base}/studies/${study}/scenes`);
  const devtools = await page.context().newCDPSession(page);
  await devtools.send("Emulation.setCPUThrottlingRate", { rate: 6 });
  await slow(page, 1_500_000);
  await drop(page, ...files);
  await underWay(page);
  await page.close();

  const other = await context.newPage();
  await other.goto(`${testServer.base}/studies/${study}/scenes`);
  const stopped = other.getByRole("region", { name: `The sending of ${PRODUCT} stopped` });
  await expect(stopped).toContainText("it goes on where it stopped", { timeout: 120_000 });
  const before = (await arriving(other)).find(({ name }) => name === PRODUCT)!;
  expect(before.size).toBeGreaterThan(0);
  const sent: string[] = [];
  other.on("request", (request) => {
    if (request.method() === "PATCH") {
      sent.push(`${request.url().split("/").pop()} ${request.headers()["upload-offset"]}`);
    }
  });
  await drop(other, ...files);
  await expect(async () => {
    const names = (await scenes(other)).map(({ fileName }) => fileName);
    expect(names.sort()).toEqual([...files].sort());
  }).toPass({ timeout: 150_000 });
  expect(sent).toContain(`${before.id} ${before.size}`);
  expect(await arriving(other)).toEqual([]);

  // What is there already is said before it is sent.
  await drop(other, PRODUCT);
  await expect(
    other.getByText(/is in this study already, as "LN1 IW, 2025-05-02 18:41"/),
  ).toBeVisible();
  await expect(async () => {
    expect(await arriving(other)).toEqual([]);
  }).toPass();
});
