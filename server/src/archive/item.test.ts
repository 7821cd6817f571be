import { type ArchiveItem, type ArchiveQuery, type Collection, boxOf, fits, itemOf } from "./item";

const COLLECTIONS: Collection[] = [
  { id: "grd", title: "Radar", kind: "radar" },
  { id: "dem", title: "Elevation", kind: "elevation" },
  { id: "orbits", title: "Orbits", kind: "orbit" },
  { id: "weather", title: "Weather", kind: null },
];
const SQUARE = {
  type: "Polygon",
  coordinates: [
    [
      [-21, -44],
      [-20, -44],
      [-20, -43],
      [-21, -43],
      [-21, -44],
    ],
  ],
};

/** An item of radar as an archive writes it, and what a test changes of it. */
const said = (more: object = {}, properties: object = {}) => ({
  id: "LANTERN1_20250502",
  collection: "grd",
  geometry: SQUARE,
  properties: {
    datetime: "2025-05-02T18:41:10Z",
    "sat:orbit_state": "descending",
    "sar:polarizations": ["VV", "VH"],
    "sar:instrument_mode": "IW",
    "sat:absolute_orbit": 50_120,
    platform: "lantern-1",
    ...properties,
  },
  assets: {
    quicklook: { href: "q.png", type: "image/png", roles: ["overview"] },
    product: {
      href: "https://archive.example/p/LANTERN1 (east).zip?token=1",
      type: "application/zip",
      "file:size": 1234,
      "file:checksum": `1220${"AB".repeat(32)}`,
    },
  },
  ...more,
});
const read = (value: unknown) => itemOf(value, COLLECTIONS);

describe("an item of the archive", () => {
  test("is told in our terms", () => {
    expect(read(said())).toEqual({
      id: "LANTERN1_20250502",
      collection: "grd",
      kind: "radar",
      title: "LANTERN1_20250502",
      from: "2025-05-02T18:41:10Z",
      to: "2025-05-02T18:41:10Z",
      footprint: [SQUARE.coordinates],
      pass: "descending",
      polarisations: ["VV", "VH"],
      mode: "IW",
      platform: "lantern-1",
      absoluteOrbit: 50_120,
      asset: {
        href: "https://archive.example/p/LANTERN1 (east).zip?token=1",
        mediaType: "application/zip",
        bytes: 1234,
        sha256: "ab".repeat(32),
        begins: "zip",
        fileName: "LANTERN1_(east).zip",
      },
      thumbnail: "q.png",
    });
  });

  test("has a title and a span of time where they are given", () => {
    const item = read(
      said(
        {},
        {
          title: "East frame",
          datetime: null,
          start_datetime: "2025-05-02T18:41:00Z",
          end_datetime: "2025-05-02T18:41:25Z",
        },
      ),
    );
    expect(item).toMatchObject({
      title: "East frame",
      from: "2025-05-02T18:41:00Z",
      to: "2025-05-02T18:41:25Z",
    });
  });

  test("does without what is not said", () => {
    const bare = said(
      { assets: { file: { href: "/p/x.zip" } } },
      { "sat:orbit_state": " ", "sar:polarizations": "VV", "sat:absolute_orbit": "7" },
    );
    expect(read(bare)).toMatchObject({
      pass: null,
      polarisations: [],
      absoluteOrbit: null,
      thumbnail: null,
      asset: { bytes: null, sha256: null, mediaType: "", fileName: "x.zip" },
    });
  });

  test("finds its file by kind: elevation as TIFF, orbits by their ending", () => {
    const files = {
      note: { href: "readme.txt" },
      tiff: { href: "t", type: "image/tiff; application=geotiff" },
      orbit: { href: "O.EOF" },
    };
    const elevation = read(said({ collection: "dem", assets: files }));
    expect(elevation!.asset).toMatchObject({ href: "t", begins: "tiff", fileName: "t" });
    const orbit = read(said({ collection: "orbits", assets: files, geometry: null }));
    expect(orbit).toMatchObject({ footprint: null, asset: { href: "O.EOF", begins: "xml" } });
  });

  test("never names its file with a path", () => {
    const assets = { product: { href: "https://a.example/x/..%2F..%2Fetc%2Fpasswd.zip" } };
    expect(read(said({ assets }))!.asset.fileName).toBe(".._.._etc_passwd.zip");
  });

  test.each([
    ["is no object", 7],
    ["has no id", said({ id: undefined })],
    ["is of a collection that is of no use", said({ collection: "weather" })],
    ["is of a collection that is not there", said({ collection: "else" })],
    ["has no file that can be read", said({ assets: { a: { href: "a.png" } } })],
    ["has assets that are none", said({ assets: { a: 1, b: { type: "application/zip" } } })],
    ["has no time", said({}, { datetime: null })],
    ["has a time that is none", said({}, { datetime: "in May" })],
    ["lies nowhere that can be read", said({ geometry: { type: "Polygon", coordinates: 3 } })],
  ])("is left out where it %s", (_why, value) => {
    expect(read(value)).toBeNull();
  });
});

describe("whether an item answers a question", () => {
  const item: ArchiveItem = read(
    said({}, { start_datetime: "2025-05-02T18:41:00Z", end_datetime: "2025-05-02T18:42:00Z" }),
  )!;
  const query = (more: Partial<ArchiveQuery> = {}): ArchiveQuery => ({
    kind: "radar",
    from: null,
    to: null,
    area: null,
    limit: 10,
    ...more,
  });

  test.each<[string, Partial<ArchiveQuery>, boolean]>([
    ["nothing but the kind", {}, true],
    ["another kind", { kind: "elevation" }, false],
    ["from its last moment", { from: "2025-05-02T18:42:00Z" }, true],
    ["from later", { from: "2025-05-02T18:42:01Z" }, false],
    ["to its first moment", { to: "2025-05-02T18:41:00Z" }, true],
    ["to earlier", { to: "2025-05-02T18:40:59Z" }, false],
    ["its pass", { pass: "descending" }, true],
    ["the other pass", { pass: "ascending" }, false],
    ["one of its polarisations", { polarisation: "VH" }, true],
    ["one it has not", { polarisation: "HH" }, false],
  ])("%s", (_what, more, yes) => {
    expect(fits(item, query(more), null)).toBe(yes);
  });

  test("a box that it touches, and one that it does not", () => {
    expect(boxOf(item.footprint!)).toEqual([-21, -44, -20, -43]);
    expect(fits(item, query(), [-20, -43, -10, -30])).toBe(true);
    expect(fits(item, query(), [-19.9, -43, -10, -30])).toBe(false);
    expect(fits(item, query(), [-21, -42.9, -20, -30])).toBe(false);
  });

  test("what lies nowhere is an orbit file, or of no use", () => {
    const nowhere = { ...item, footprint: null };
    expect(fits(nowhere, query(), [0, 0, 1, 1])).toBe(false);
    expect(fits({ ...nowhere, kind: "orbit" }, query({ kind: "orbit" }), [0, 0, 1, 1])).toBe(true);
  });
});
