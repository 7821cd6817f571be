import { execFileSync, spawnSync } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { expect, test } from "@playwright/test";
import * as yup from "yup";
import { demoFile } from "./support";

const command = fileURLToPath(new URL("../bin/glance", import.meta.url));

const summary = yup.object({
  state: yup.string().required(),
  lookFirst: yup.array(yup.string().required()).required(),
  map: yup
    .object({
      areas: yup
        .array(
          yup.object({
            zone: yup.string().nullable().defined(),
            class: yup.string().required(),
            areaM2: yup.number().required(),
          }),
        )
        .required(),
    })
    .required(),
});

test("a flood is mapped from raw products by one command, without a page", async () => {
  const products = readdirSync(demoFile("")).filter((name) => /^LN1_IW_GRDH.*\.zip$/.test(name));
  const product = (day: string) => demoFile(products.find((name) => name.includes(`SDV_${day}`))!);
  const out = mkdtempSync(join(tmpdir(), "glance-"));
  const began = Date.now();
  const ended = spawnSync(
    command,
    [
      ...["flood", "--before", product("20250502"), "--after", product("20250514")],
      ...["--elevation", demoFile("corvane_elevation.tif"), "--event", "2025-05-12"],
      ...["--area", demoFile("ombrel_study_area.geojson"), "--out", out],
    ],
    { encoding: "utf8" },
  );
  test
    .info()
    .annotations.push({ type: "seconds", description: String((Date.now() - began) / 1000) });
  expect(`${ended.stdout}${ended.stderr}`).toContain("Finished");
  expect(ended.status).toBe(0);
  execFileSync("sha256sum", ["--check", "--strict", "--quiet", "SHA256SUMS"], { cwd: out });
  const said = summary.validateSync(JSON.parse(readFileSync(join(out, "summary.json"), "utf8")));
  expect(said).toMatchObject({ state: "done", lookFirst: [] });
  const water = said.map.areas.find((one) => one.zone === null && one.class === "New water")!;
  // The world's truth: 36.9 km² of new open water where the map looks.
  expect(Math.abs(water.areaM2 / 1e6 - 36.9)).toBeLessThan(1);
  rmSync(out, { recursive: true });
});

/** A folder with the files of an optical scene, as it is delivered. */
function sceneFolder(day: string): string {
  const folder = mkdtempSync(join(tmpdir(), `scene-${day}-`));
  for (const name of readdirSync(demoFile("optical"))) {
    if (name.startsWith(`HELIO2_L1_${day}_`)) {
      cpSync(demoFile(join("optical", name)), join(folder, name));
    }
  }
  return folder;
}

test("what became of what is mapped from two raw scenes and areas of known cover", () => {
  const [before, after] = [sceneFolder("20190122"), sceneFolder("20250122")];
  const out = mkdtempSync(join(tmpdir(), "glance-"));
  const ended = spawnSync(
    command,
    [
      ...["from-to", "--before", before, "--after", after, "--out", out],
      ...["--known", demoFile("quill_training_areas.geojson"), "--files", "cog,csv"],
      ...["--area", demoFile("quill_study_area.geojson")],
    ],
    { encoding: "utf8" },
  );
  expect(`${ended.stdout}${ended.stderr}`).toContain("Finished");
  expect(ended.status).toBe(0);
  const said = summary.validateSync(JSON.parse(readFileSync(join(out, "summary.json"), "utf8")));
  const km2 = (name: string) =>
    said.map.areas.find((one) => one.zone === null && one.class === name)!.areaM2 / 1e6;
  // Cells of 30 m of the world's truth inside the study area: 1550, 1509, 1713 and 1692.
  const truth = { "Reeds to Water": 1550, "Crop to Town": 1509, "Heath to Pasture": 1713 };
  for (const [name, cells] of Object.entries({ ...truth, "Wood to Crop": 1692 })) {
    expect(Math.abs(km2(name) / (cells * 0.0009) - 1)).toBeLessThan(0.03);
  }
  [before, after, out].forEach((folder) => rmSync(folder, { recursive: true }));
});

test("a call that is not understood ends with 2, a product that is none with 1", () => {
  const call = (...args: string[]) => spawnSync(command, args, { encoding: "utf8" });
  const wrong = call("flood", "--out", "nowhere");
  expect([wrong.status, wrong.stderr]).toEqual([2, expect.stringContaining("--before is missing")]);
  const file = demoFile("corvane_places.geojson");
  const out = mkdtempSync(join(tmpdir(), "glance-"));
  const failed = call("flood", "--before", file, "--after", file, "--out", out);
  expect(failed.status).toBe(1);
  expect(failed.stderr).toMatch(/corvane_places\.geojson/);
  rmSync(out, { recursive: true });
});
