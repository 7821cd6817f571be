import type { ChangeMap } from "@hindglance/contract/changeMaps";
import { LONLAT, transformer, utm } from "@hindglance/core/geodesy/crs";
import type { TestServer } from "./harness";
import { SETUP, X0, Y0, radarTiff } from "./pairs";

/** Cells of the dates: a flood between columns 60 and 220, and another one from 300 to 340. */
export const FLOOD_SIZE = { width: 420, height: 300 };
const CELL_M = 20;
const onGlobe = transformer(utm(27, true), LONLAT);

/** Longitude and latitude of a corner of cells of the dates. */
export const cornerAt = (col: number, row: number): [number, number] =>
  onGlobe(X0 + col * CELL_M, Y0 - row * CELL_M);

const zone = (name: string, from: number, to: number) => ({
  type: "Feature",
  properties: { name },
  geometry: {
    type: "Polygon",
    coordinates: [
      [
        [from, -5],
        [from, FLOOD_SIZE.height + 5],
        [to, FLOOD_SIZE.height + 5],
        [to, -5],
        [from, -5],
      ].map(([col, row]) => cornerAt(col!, row!)),
    ],
  },
});

/** A study with two dates of a flood over two zones, West to column 120 and East from there to 300. */
export class FloodedStudy {
  private constructor(
    private readonly server: TestServer,
    readonly id: string,
    readonly dates: { beforeId: string; afterId: string },
  ) {}

  /** @throws Error where a date does not come in */
  static async make(server: TestServer, name: string): Promise<FloodedStudy> {
    const asked = { name, hazard: "flood" };
    const { id } = (await server.call<{ id: string }>("POST", "/studies", asked)).body;
    const { width, height } = FLOOD_SIZE;
    const before = radarTiff(width, height, 1, [0, 3]);
    const after = radarTiff(width, height, 2, [60, 220], { alsoDark: [300, 340] });
    const dates = [
      await dateIn(server, id, "2025-05-02", before),
      await dateIn(server, id, "2025-05-14", after),
    ];
    const features = [zone("West", -5, 120), zone("East", 120, 300)];
    const file = Buffer.from(JSON.stringify({ type: "FeatureCollection", features }));
    const uploaded = await server.upload(id, "zones.geojson", file);
    const taken = { uploadId: uploaded.body.id, nameField: "name" };
    const zones = await server.call("POST", `/studies/${id}/zones`, taken);
    if (zones.status !== 201) {
      throw new Error(`Zones were answered with ${zones.status}`);
    }
    return new FloodedStudy(server, id, { beforeId: dates[0]!, afterId: dates[1]! });
  }

  /** Writes a map of the pair. @throws Error where the run fails */
  async write(name: string, limits: object = {}): Promise<ChangeMap> {
    const setup = { ...SETUP, limits: { ...SETUP.limits, ...limits } };
    const body = { ...this.dates, setup, name };
    const path = `/studies/${this.id}/change-maps`;
    return this.mapOf(await this.server.call<{ runId: string }>("POST", path, body));
  }

  /** The map that a run wrote, once it has ended. @throws Error where it failed */
  async mapOf({ body }: { body: { runId: string } }): Promise<ChangeMap> {
    const run = await this.server.ended(body.runId);
    if (run.error) {
      throw new Error(JSON.stringify(run.error));
    }
    const found = `/change-maps/${String(run.result!.changeMapId)}`;
    return (await this.server.call<ChangeMap>("GET", found)).body;
  }
}

/** Takes a date of radar power in. @throws Error where it does not come in */
export async function dateIn(
  server: TestServer,
  study: string,
  day: string,
  file: Uint8Array,
): Promise<string> {
  const facts = { acquiredAt: `${day}T18:00:00Z`, kind: "radar" };
  const name = `d_${day.replaceAll("-", "")}.tif`;
  const scene = await server.importScene(study, name, file, facts);
  const run = await server.ended(scene.runId);
  if (run.state !== "done") {
    throw new Error(JSON.stringify(run.error));
  }
  return scene.id;
}
