import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { type Page, expect, test } from "@playwright/test";
import { BASIN, FIRE, FLOOD, base, demoFile, jsonOf, openStudy } from "./support";

const command = fileURLToPath(new URL("../bin/glance", import.meta.url));

/** Waits for the end of a run; what it gave. */
async function ended(page: Page, runId: string): Promise<Record<string, string>> {
  for (;;) {
    const run = await jsonOf<{
      state: string;
      result: Record<string, string> | null;
      error: unknown;
    }>(page.request.get(`${base()}/api/runs/${runId}`));
    if (run.state !== "running") {
      expect(run.error).toBeNull();
      return run.result!;
    }
    await page.waitForTimeout(300);
  }
}

/** Writes a map of what became of what in the basin; its id. */
async function basinMap(page: Page): Promise<string> {
  const id = await openStudy(page, "tally", "", BASIN);
  const api = `${base()}/api/studies/${id}`;
  type Scene = {
    id: string;
    kind: string;
    acquiredAt: string;
    info: { classes: { label: number; name: string; color: string }[] };
  };
  const scenes = (await jsonOf<Scene[]>(page.request.get(`${api}/scenes`))).sort((one, other) =>
    one.acquiredAt < other.acquiredAt ? -1 : 1,
  );
  const [before, after] = scenes.filter(({ kind }) => kind === "optical");
  const [then, now] = scenes.filter(
    ({ kind, info }) => kind === "classes" && info.classes.length === 7,
  );
  const { classes } = then!.info;
  const count = classes.length;
  const labels = Array.from({ length: count * count }, (_v, k) => k + 1);
  const setup = {
    ...{ band: 0, measure: "difference", speckle: { filter: "none", windowCells: 7, looks: 1 } },
    rules: [
      {
        ...{ label: 1, name: "Brighter", color: "#c8246f" },
        all: [{ layer: "measure", op: ">", value: 0.1 }],
      },
    ],
    transitions: {
      ...{ beforeId: then!.id, afterId: now!.id, show: "transition", unlikely: [] },
      classes: classes.map(({ name, color, label }) => ({
        ...{ name, color, before: [label], after: [label] },
      })),
      kept: labels.filter((label) => Math.floor((label - 1) / count) !== (label - 1) % count),
    },
    limits: {
      ...{ studyArea: true, seenMarginCells: 0, maxSlopeDeg: null },
      ...{ minPatchCells: 6, neighbours: 8 },
    },
  };
  const { runId } = await jsonOf<{ runId: string }>(
    page.request.post(`${api}/change-maps`, {
      data: { beforeId: before!.id, afterId: after!.id, setup, name: "Made again" },
    }),
  );
  return (await ended(page, runId)).changeMapId!;
}

/** A file of a map, written into a folder of this machine; its place. */
async function handedOver(page: Page, map: string, format: string, folder: string) {
  const { runId } = await jsonOf<{ runId: string }>(
    page.request.post(`${base()}/api/change-maps/${map}/files`, { data: { format } }),
  );
  const { blobId, fileName } = await ended(page, runId);
  const file = await page.request.get(`${base()}/api/files/${blobId!}`);
  const path = join(folder, fileName!);
  writeFileSync(path, await file.body());
  return path;
}

/** Files that can be held against each other byte by byte. */
const PLAIN = ["cog", "classTable", "measure", "geojson", "csv"];

/** Everything that a year later is held against what is made again: files, and the account of a map. */
async function accountOf(page: Page, map: string, folder: string): Promise<string> {
  for (const format of PLAIN) {
    await handedOver(page, map, format, folder);
  }
  return handedOver(page, map, "account", folder);
}

const firstMap = async (page: Page, study: string): Promise<string> => {
  const id = await openStudy(page, "tally", "", study);
  const maps = await jsonOf<{ id: string; edited: object | null }[]>(
    page.request.get(`${base()}/api/studies/${id}/change-maps`),
  );
  return maps.filter(({ edited }) => edited === null).at(-1)!.id;
};

/** Draws a patch on a map by hand, and writes that as a map of its own; its id. */
async function editedMap(page: Page, map: string): Promise<string> {
  const at = `${base()}/api/change-maps/${map}/edits`;
  const ring = [
    [300.4, 200.2],
    [320.5, 260.8],
    [371.3, 240.1],
    [300.4, 200.2],
  ];
  const edit = {
    ...{ kind: "draw", label: 1, polygons: [[ring]] },
    ...{ isSnapped: true, isTaking: true },
  };
  const done = await page.request.post(at, {
    data: { key: crypto.randomUUID(), editor: "Ann", edit },
  });
  expect(done.status()).toBe(200);
  const written = page.request.post(`${at}/map`, { data: { name: "Looked over" } });
  const { runId } = await jsonOf<{ runId: string }>(written);
  const { changeMapId } = await ended(page, runId);
  await page.request.patch(at, { data: { head: null } });
  return changeMapId!;
}

test("maps of all three studies are made again from their accounts and files, to the last bit", async ({
  page,
}) => {
  test.setTimeout(1_500_000);
  const folder = mkdtempSync(join(tmpdir(), "again-"));
  const basin = await basinMap(page);
  // One that was edited by hand is made again with its edits.
  const edited = await editedMap(page, await firstMap(page, FIRE));
  const told = [
    await accountOf(page, await firstMap(page, FLOOD), folder),
    await accountOf(page, edited, folder),
    await accountOf(page, basin, folder),
  ];
  for (const id of [basin, edited]) {
    await page.request.delete(`${base()}/api/change-maps/${id}`);
  }
  const out = mkdtempSync(join(tmpdir(), "again-out-"));
  const run = spawnSync(
    command,
    [
      "again",
      ...told,
      "--inputs",
      demoFile(""),
      "--out",
      out,
      "--files",
      PLAIN.join(","),
      "--compare",
      folder,
    ],
    { encoding: "utf8" },
  );
  const said = `${run.stdout}${run.stderr}`;
  expect(said.match(/the same to the last bit/g) ?? said).toHaveLength(3);
  expect(said.match(/the same bytes as then/g) ?? said).toHaveLength(3 * PLAIN.length);
  expect(run.status).toBe(0);
  // An account that tells of another file is not made of this one.
  const account = readFileSync(told[2]!, "utf8");
  const [sum] = /"sha256": "[0-9a-f]{64}"/.exec(account)!;
  const wrong = join(folder, "wrong.account.json");
  writeFileSync(wrong, account.replaceAll(sum, `"sha256": "${"0".repeat(64)}"`));
  const lacking = spawnSync(command, ["again", wrong, "--inputs", demoFile(""), "--out", out], {
    encoding: "utf8",
  });
  expect(lacking.status).toBe(1);
  expect(lacking.stderr).toMatch(/does not hold /);
  [folder, out].forEach((one) => rmSync(one, { recursive: true }));
});
