import { resolve } from "node:path";
import { square } from "@hindglance/formats/testing/square";
import type { Meant } from "./tasks";
import { type VectorLimits, VectorsApart } from "./readApart";

const SCRIPT = resolve("dist/server/vectorProcess.js");

const collection = (...rings: [number, number][][]): Uint8Array =>
  Buffer.from(
    JSON.stringify({
      type: "FeatureCollection",
      features: rings.map((ring, k) => ({
        type: "Feature",
        properties: { name: `zone ${k}` },
        geometry: { type: "Polygon", coordinates: [ring] },
      })),
    }),
  );
/** Spikes from one middle that come near each other and never cross: hard to look through. */
const spikes = (corners: number): [number, number][] => {
  const ring = Array.from({ length: corners }, (_v, k): [number, number] => {
    const angle = (2 * Math.PI * k) / corners;
    const radius = k % 2 === 0 ? 0.5 : 0.1;
    return [-21 + radius * Math.cos(angle), -44 + radius * Math.sin(angle)];
  });
  return [...ring, ring[0]!];
};
const named = (name: string, bytes: Uint8Array) => ({ name, files: [{ name, bytes }] });

/** Works with a reader that is closed afterwards. */
async function withReader(
  limits: Partial<VectorLimits>,
  work: (reader: VectorsApart) => Promise<void>,
): Promise<void> {
  const reader = new VectorsApart(SCRIPT, {
    ...{ milliseconds: 30_000, perMegabyte: 0, megabytes: 200 },
    ...limits,
  });
  try {
    await work(reader);
  } finally {
    await reader.close();
  }
}
const read = (reader: VectorsApart, name: string, bytes: Uint8Array) =>
  reader.run("look", () => Promise.resolve(named(name, bytes)));

test("files are read apart, one after another, and what is wrong is said in its words", () =>
  withReader({}, async (reader) => {
    const order: string[] = [];
    const turn = (name: string, bytes: Uint8Array) =>
      reader
        .run("look", () => {
          order.push(`${name} begins`);
          return Promise.resolve(named(name, bytes));
        })
        .finally(() => order.push(`${name} ends`));
    const [good, bad] = await Promise.allSettled([
      turn("a.json", collection(square(-21, -44, 1))),
      turn("b.json", Buffer.from("{")),
    ]);
    expect(good).toMatchObject({ value: [{ features: 1, polygons: 1, faulty: 0 }] });
    expect(bad).toMatchObject({
      reason: { status: 422, code: "damaged", message: "b.json is not valid JSON" },
    });
    expect(order).toEqual(["a.json begins", "a.json ends", "b.json begins", "b.json ends"]);
  }));

test("what is kept comes back as the text of its JSON", () =>
  withReader({}, async (reader) => {
    const meant: Meant = {
      ...named("a.json", collection(square(-21, -44, 1), square(-20, -44, 1))),
      ...{ as: "zones", layer: 0 },
    };
    const { json, ...found } = await reader.run("use", () => Promise.resolve(meant));
    expect(found).toEqual({ count: 2, fields: ["name"], mended: 0, area: null });
    expect(JSON.parse(Buffer.from(json).toString())).toMatchObject({
      features: [
        {
          properties: { name: "zone 0" },
          geometry: { type: "MultiPolygon", coordinates: [[square(-21, -44, 1)]] },
        },
        { properties: { name: "zone 1" } },
      ],
    });
    const area = await reader.run("use", () => Promise.resolve({ ...meant, as: "area" as const }));
    expect(area.area!.coordinates).toHaveLength(1);
  }));

test("a file that takes too long is refused, and the next one is read", () =>
  // Time for a process to begin on a busy machine.
  withReader({ milliseconds: 8000 }, async (reader) => {
    const slow = collection(...Array.from({ length: 75 }, () => spikes(8000)));
    await expect(read(reader, "spikes.json", slow)).rejects.toMatchObject({
      status: 422,
      message: "spikes.json takes too long to be looked through",
    });
    expect(await read(reader, "a.json", collection(square(-21, -44, 1)))).toHaveLength(1);
  }));

test("a file that takes too much memory is refused, and the next one is read", () =>
  withReader({ megabytes: 24 }, async (reader) => {
    const many = Array.from({ length: 40_000 }, (_v, k) => square(-21 + k / 1e4, -44, 1e-5));
    await expect(read(reader, "many.json", collection(...many))).rejects.toMatchObject({
      status: 422,
      message: "many.json takes more memory than there is for it",
    });
    expect(await read(reader, "a.json", collection(square(-21, -44, 1)))).toHaveLength(1);
  }));
