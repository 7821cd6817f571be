import { createHash } from "node:crypto";
import {
  bytesOf,
  orbitText,
  safeFiles,
  textOf,
  withMd5,
  zipOf,
} from "@hindglance/formats/testing/buildSafe";
import { emptySetup } from "@hindglance/core/change/defaults";
import { buildTiff } from "@hindglance/formats/testing/buildTiff";
import { sameMission } from "./products/orbits";
import { TestServer, jsonOf } from "./testing/harness";

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start();
  study = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Products", hazard: "flood" })
  ).body.id;
});
afterAll(() => testServer.stop());

const send = (name: string, body: Uint8Array, query = "") =>
  testServer.request(`/api/studies/${study}/uploads?name=${encodeURIComponent(name)}${query}`, {
    method: "POST",
    headers: { "content-type": "application/octet-stream" },
    body: Buffer.from(body),
  });
const blobs = async () =>
  (await testServer.query<{ n: number }>("SELECT count(*)::int AS n FROM blob"))[0]!.n;
const without = (part: string) => {
  const file = safeFiles();
  for (const k of [...file.keys()]) {
    if (k.includes(part)) {
      file.delete(k);
    }
  }
  return file;
};

describe("products that cannot be used", () => {
  test.each([
    [
      "a truncated zip",
      async () => (await zipOf(safeFiles())).slice(0, 3000),
      /product.zip: The archive is cut off or damaged/,
    ],
    ["a zip without a product", () => zipOf(new Map([["a.txt", "x"]])), /no manifest.safe/],
    [
      "a missing calibration file",
      () => zipOf(without("calibration-ln1-iw-grd-vv")),
      /calibration-ln1-iw-grd-vv-001.xml that is not there/,
    ],
    [
      "a bomb",
      () =>
        zipOf(new Map<string, string | Uint8Array>([["manifest.safe", new Uint8Array(30 << 20)]])),
      /would unpack from/,
    ],
    [
      "entities",
      async () => {
        const file = safeFiles();
        for (const [k, values] of file) {
          if (k.endsWith("manifest.safe")) {
            file.set(k, `<!DOCTYPE a [<!ENTITY b "x">]>${textOf(values)}`);
          }
        }
        return zipOf(file);
      },
      /document type or entities/,
    ],
  ])("%s: a clear error, and nothing is stored", async (_n, make, message) => {
    const response = await send("product.zip", await make());
    const b = await jsonOf<{ error: { message: string; field: string } }>(response);
    expect(response.status).toBe(422);
    expect(b.error.message).toMatch(message);
    expect(b.error.field).toBe("file");
    expect(await blobs()).toBe(0);
    expect((await testServer.request(`/api/health`)).status).toBe(200);
  });
  test("a whole product is looked at, and can be left out again", async () => {
    const response = await send("product.zip", await zipOf(safeFiles()));
    const address = await jsonOf<{ id: string; detail: Record<string, unknown> }>(response);
    expect(response.status).toBe(201);
    expect(address.detail).toMatchObject({
      form: "product",
      mission: "LN1",
      pass: "descending",
      kind: "radar",
      lines: 20,
      samples: 30,
    });
    expect(
      (await testServer.request(`/api/uploads/${address.id}`, { method: "DELETE" })).status,
    ).toBe(204);
    expect(await blobs()).toBe(0);
  });
});

describe("products whose files were altered", () => {
  test("as they were they are taken; with one calibration digit changed the file is named", async () => {
    const whole = await send("whole.zip", await zipOf(withMd5()));
    const { id } = await jsonOf<{ id: string }>(whole);
    expect(whole.status).toBe(201);
    expect((await testServer.request(`/api/uploads/${id}`, { method: "DELETE" })).status).toBe(204);
    const files = withMd5();
    for (const [path, body] of files) {
      if (path.includes("calibration-ln1-iw-grd-vv")) {
        files.set(
          path,
          textOf(body).replace(/\d(?=<)/, (digit) => String((Number(digit) + 1) % 10)),
        );
      }
    }
    const response = await send("altered.zip", await zipOf(files));
    const { error } = await jsonOf<{ error: { message: string } }>(response);
    expect([response.status, error.message]).toEqual([
      422,
      expect.stringMatching(/calibration-ln1-iw-grd-vv-001.xml is not what .*MD5 differs/),
    ]);
    expect(await blobs()).toBe(0);
  });

  test("a byte that was flipped in an archive is found by the checksum of its entry", async () => {
    const bytes = Buffer.from(await zipOf(safeFiles()));
    const at = bytes.indexOf("manifest.safe") + 200;
    bytes[at] = bytes[at]! ^ 0x10;
    const response = await send("flipped.zip", bytes);
    const { error } = await jsonOf<{ error: { message: string } }>(response);
    expect([response.status, error.message]).toEqual([
      422,
      expect.stringMatching(/damaged|checksum|CRC/i),
    ]);
    expect(await blobs()).toBe(0);
  });
});

describe("products that come again, or several at once", () => {
  let other: string;
  /** The product on another day, in a folder of that name. */
  const onDay = (day: string) => {
    const image = buildTiff({
      width: 30,
      height: 20,
      bits: 16,
      format: 1,
      value: (c, r) => 100 + c + r,
    });
    const ofDay = (path: string, body: string | Uint8Array) =>
      path.includes("measurement/") ? image : textOf(body).replaceAll("2025-05-02", day);
    return new Map(
      [...safeFiles()].map(([path, body]) => [
        path.replace(/^[^/]+/, `LN1_${day}.SAFE`),
        ofDay(path, body),
      ]),
    );
  };
  const taken = (name: string, body: Uint8Array) =>
    testServer.request(`/api/studies/${other}/uploads?name=${name}&take=true`, {
      method: "POST",
      headers: { "content-type": "application/octet-stream" },
      body: Buffer.from(body),
    });
  const scenes = async () =>
    (await testServer.call<{ name: string; fileName: string }[]>("GET", `/studies/${other}/scenes`))
      .body;
  beforeAll(async () => {
    const made = { name: "Several", hazard: "flood" };
    other = (await testServer.call<{ id: string }>("POST", "/studies", made)).body.id;
  });

  afterAll(async () => {
    await testServer.request(`/api/studies/${other}`, { method: "DELETE" });
  });

  test("two products in one archive become two scenes, told apart by their time", async () => {
    const both = new Map([...onDay("2025-05-02"), ...onDay("2025-05-14")]);
    expect((await taken("both.zip", await zipOf(both))).status).toBe(201);
    expect((await scenes()).map(({ name, fileName }) => [name, fileName]).sort()).toEqual([
      [expect.stringMatching(/^LN1 IW, 2025-05-02 \d\d:\d\d$/), "both.zip: LN1_2025-05-02.SAFE"],
      [expect.stringMatching(/^LN1 IW, 2025-05-14 \d\d:\d\d$/), "both.zip: LN1_2025-05-14.SAFE"],
    ]);
  });

  test("the same product in another archive, under another name, is known by what it holds", async () => {
    const again = onDay("2025-05-14");
    again.set("LN1_2025-05-14.SAFE/readme.txt", "Packed anew");
    const response = await taken("renamed.zip", await zipOf(again));
    const { error } = await jsonOf<{ error: { message: string } }>(response);
    expect([response.status, error.message]).toEqual([
      409,
      expect.stringMatching(
        /^renamed.zip holds what is in this study already as "LN1 IW, 2025-05-14 .*same acquisition/,
      ),
    ]);
    expect(await scenes()).toHaveLength(2);
  });

  describe("whose Prepare takes a mean over a window", () => {
    type Nodes = Record<"before" | "after", { hash: string }> & {
      warnings: string[];
      blurs: string[];
    };
    const dates = async () =>
      (
        await testServer.call<{ id: string; info: object | null }[]>(
          "GET",
          `/studies/${other}/scenes`,
        )
      ).body;
    const mean = async (on: boolean) => {
      const chain = await testServer.call<{ chain: Record<string, object> }>(
        "GET",
        `/studies/${other}/prepare`,
      );
      const speckle = { ...chain.body.chain.speckle, on, filter: "mean", windowCells: 5 };
      const put = await testServer.call("PUT", `/studies/${other}/prepare`, {
        chain: { ...chain.body.chain, speckle },
        exceptions: {},
        heldOut: [],
      });
      expect(put.status).toBe(200);
    };
    const compared = async (speckle: object = {}): Promise<Nodes> => {
      const [beforeId, afterId] = (await dates()).map(({ id }) => id);
      const setup = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
      const { body } = await testServer.call<Nodes>("POST", `/studies/${other}/compare/nodes`, {
        beforeId,
        afterId,
        setup: { ...setup, speckle: { ...setup.speckle, ...speckle } },
      });
      return body;
    };
    const sentences = ({ warnings }: Nodes): string[] =>
      warnings.filter((text) => text.includes("Prepare takes the mean"));
    beforeAll(async () => {
      while ((await dates()).some(({ info }) => !info)) {
        await new Promise((ok) => setTimeout(ok, 100));
      }
    }, 60_000);

    test("Compare looks at both dates as they were before it, unless it is told otherwise", async () => {
      await mean(false);
      const plain = await compared();
      expect(plain.blurs).toEqual([]);
      await mean(true);
      const sharp = await compared();
      expect([sharp.blurs, sharp.before.hash, sharp.after.hash]).toEqual([
        ["mean of 5 × 5 cells"],
        plain.before.hash,
        plain.after.hash,
      ]);
      expect(sentences(sharp)).toEqual([]);
      const blurred = await compared({ blurred: true });
      expect(blurred.before.hash).not.toBe(plain.before.hash);
      expect(sentences(blurred)).toHaveLength(1);
    });

    test("Prepare keeps both images, and neither counts as old", async () => {
      await mean(true);
      const { body } = await testServer.call<{ runId: string }>(
        "POST",
        `/studies/${other}/prepare/runs`,
        { sceneIds: null },
      );
      expect((await testServer.ended(body.runId)).state).toBe("done");
      const kept = await testServer.query<{ step: string; n: number }>(
        "SELECT step, count(*)::int AS n FROM kept_image GROUP BY step ORDER BY step",
      );
      expect(kept.map(({ step, n }) => [step, n])).toEqual([
        ["Terrain", 2],
        ["Terrain, sharp", 2],
      ]);
      const board = await testServer.call<{ old: unknown[] }>("GET", `/studies/${other}/prepare`);
      expect(board.body.old).toEqual([]);
    });
  });

  test("of two products in an archive that is broken one comes in, and the other says why", async () => {
    const broken = [...onDay("2025-06-07")].filter(([path]) => !path.includes("calibration-"));
    const both = new Map([...onDay("2025-05-26"), ...broken]);
    expect((await taken("half.zip", await zipOf(both))).status).toBe(201);
    expect((await scenes()).map(({ fileName }) => fileName)).toContain(
      "half.zip: LN1_2025-05-26.SAFE",
    );
    const [refused] = await testServer.query<{ name: string; message: string }>(
      "SELECT name, refused ->> 'message' AS message FROM blob WHERE refused IS NOT NULL",
    );
    expect([refused?.name, refused?.message]).toEqual([
      "half.zip: LN1_2025-06-07.SAFE",
      expect.stringMatching(/files that are not there.*calibration-/),
    ]);
  });
});

describe("a picked folder", () => {
  const folder = "00000000-0000-4000-8000-000000000001";
  const post = () =>
    testServer.request(`/api/studies/${study}/folders/${folder}`, { method: "POST" });
  test("is one product once all files are there", async () => {
    for (const [path, body] of safeFiles()) {
      expect(
        (
          await send(
            path.split("/").pop()!,
            bytesOf(body),
            `&folder=${folder}&path=${encodeURIComponent(path)}`,
          )
        ).status,
      ).toBe(201);
    }
    const response = await post();
    const address = await jsonOf<{
      id: string;
      name: string;
      sha256: string;
      detail: { form: string };
    }>(response);
    expect([response.status, address.name, address.detail.form]).toEqual([
      201,
      "LN1_IW_GRDH_TEST.SAFE",
      "product",
    ]);
    // As `sha256sum` over the files and then over its list would say.
    const sum = (b: string | Uint8Array) => createHash("sha256").update(b).digest("hex");
    expect(address.sha256).toBe(
      sum(
        [...safeFiles()]
          .sort(([a], [b]) => (a < b ? -1 : 1))
          .map(([path, body]) => `${sum(body)}  ${path}\n`)
          .join(""),
      ),
    );
  });
  test("with a part missing is refused, and its files go", async () => {
    await testServer.query("DELETE FROM blob");
    for (const [path, body] of without("measurement/ln1-iw-grd-vh")) {
      await send(
        path.split("/").pop()!,
        bytesOf(body),
        `&folder=${folder}&path=${encodeURIComponent(path)}`,
      );
    }
    const response = await post();
    expect([
      response.status,
      (await jsonOf<{ error: { message: string } }>(response)).error.message,
    ]).toEqual([422, expect.stringMatching(/measurement\/ln1-iw-grd-vh-001.tiff/)]);
    expect(await blobs()).toBe(0);
  });
  test("paths that lead out are refused", async () => {
    expect(
      (await send("x", new Uint8Array(3), `&folder=${folder}&path=${encodeURIComponent("../x")}`))
        .status,
    ).toBe(422);
  });
});

describe("orbit files", () => {
  test("are kept once, say what they serve, and can be removed", async () => {
    const a = await jsonOf<{
      detail: Record<string, unknown>;
    }>(send("a.EOF", Buffer.from(orbitText())));
    const b = await jsonOf<{
      detail: Record<string, unknown>;
    }>(send("b.EOF", Buffer.from(orbitText())));
    expect(a.detail).toMatchObject({
      form: "orbit",
      mission: "LANTERN-1",
      orbitKind: "precise",
      scenes: [],
    });
    expect(b.detail.orbitId).toBe(a.detail.orbitId);
    expect((await testServer.call<unknown[]>("GET", `/studies/${study}/orbits`)).body).toHaveLength(
      1,
    );
    expect(
      (
        await testServer.request(`/api/orbits/${String(a.detail.orbitId)}`, {
          method: "DELETE",
        })
      ).status,
    ).toBe(204);
  });
  test.each([
    ["another frame", orbitText(12, "INERTIAL"), /frame INERTIAL/],
    ["no orbit file", "<a/>", /not an Earth Explorer/],
  ])("%s is refused", async (_n, text, message) => {
    const response = await send("x.EOF", Buffer.from(text));
    expect([
      response.status,
      (await jsonOf<{ error: { message: string } }>(response)).error.message,
    ]).toEqual([422, expect.stringMatching(message)]);
  });
  test("missions are matched by name and by short form", () => {
    expect([
      sameMission("LANTERN-1", "LN1"),
      sameMission("LANTERN-2", "LN1"),
      sameMission("LANTERN-1", "LANTERN1"),
    ]).toEqual([true, false, true]);
  });
});

describe("the chain of a study", () => {
  test("without products there is an empty board; nonsense is refused with its field", async () => {
    const body = (
      await testServer.call<{ chain: Record<string, Record<string, unknown>>; rows: unknown[] }>(
        "GET",
        `/studies/${study}/prepare`,
      )
    ).body;
    expect(body.rows).toEqual([]);
    const put = async (change: object) => {
      const response = await testServer.request(`/api/studies/${study}/prepare`, {
        method: "PUT",
        headers: { "content-type": "application/json" },
        body: JSON.stringify({ chain: { ...body.chain, ...change }, exceptions: {}, heldOut: [] }),
      });
      return [
        response.status,
        (await jsonOf<{ error?: { field?: string } }>(response)).error?.field,
      ];
    };
    expect(await put({ looks: { on: true, rangeLooks: 0, azimuthLooks: 1 } })).toEqual([
      422,
      "chain.looks.rangeLooks",
    ]);
    expect(await put({ speckle: { ...body.chain.speckle, windowCells: 4 } })).toEqual([
      422,
      "chain.speckle.windowCells",
    ]);
    expect(
      await put({
        terrain: { ...body.chain.terrain, elevationId: "00000000-0000-4000-8000-000000000009" },
      }),
    ).toEqual([422, "chain.terrain.elevationId"]);
    expect((await put({}))[0]).toBe(200);
  });
});
