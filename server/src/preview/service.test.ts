import { sourceNode } from "@hindglance/core/graph/node";
import type { Scene } from "../db/scenes";
import { TestServer } from "../testing/harness";
import { radarTiff } from "../testing/pairs";
import { giveUp, hasBegun, newMark } from "./mark";
import { PreviewService } from "./service";

let testServer: TestServer;
let service: PreviewService;
let imageId: string;
beforeAll(async () => {
  testServer = await TestServer.start({ workers: 1 });
  const named = { name: "Previews", hazard: "flood" };
  const study = (await testServer.call<{ id: string }>("POST", "/studies", named)).body.id;
  const bytes = radarTiff(600, 520, 3, [100, 300]);
  const { runId } = await testServer.importScene(study, "b_20250502_VV.tif", bytes);
  expect((await testServer.ended(runId)).state).toBe("done");
  const scenes = (await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`)).body;
  imageId = scenes[0]!.imageId!;
  service = new PreviewService(testServer.url, 1 << 20);
});
afterAll(async () => {
  await service.close();
  await testServer.stop();
});

const task = () => ({
  kind: "histograms" as const,
  node: sourceNode(imageId),
  ranges: [[0, 1] as [number, number]],
  bins: 10,
  maxCells: 1e9,
});

test("a task that is given up ends before its next part; the next task is whole again", async () => {
  const mark = newMark();
  expect(hasBegun(mark)).toBe(false);
  service.begin(mark);
  expect(hasBegun(mark)).toBe(true);
  const going = service.histograms(task());
  giveUp(mark);
  await expect(going).rejects.toMatchObject({ name: "CancelledError" });

  service.begin(newMark());
  const { histograms, cells } = await service.histograms(task());
  // Three columns at the left are fill.
  expect(cells).toBe((600 - 3) * 520);
  const { counts, below, above } = histograms[0]!;
  expect(counts.reduce((sum, n) => sum + n, below + above)).toBe(cells);
});
