import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { UTM27S_PRJ } from "@hindglance/formats/testing/utm27south";
import { lookingForTests } from "../../testing/looking";
import { radarTiff } from "../../testing/pairs";

const { look, together } = lookingForTests();

/** A picture without a word of where it lies. */
const bare = () => buildTiff({ width: 4, height: 3, format: 1, bits: 8, value: (c) => c });

describe("an image", () => {
  test("on the map says its grid, its bands, its date, and what is still to be asked", async () => {
    const found = await look("corvane_20250502_VV.tif", radarTiff(40, 30, 1, [5, 9]));
    expect(found).toMatchObject({
      form: "raster",
      kind: "radar",
      width: 40,
      height: 30,
      sampleType: "float32",
      nodata: "0",
      grid: { crs: { code: "EPSG:32727" }, transform: [490_000, 20, 0, 5_175_000, 0, -20] },
    });
  });

  test("without a position is asked where it lies", async () => {
    const found = await look("scan.tif", bare());
    expect(found).toMatchObject({ form: "raster", grid: null });
    expect("missing" in found && found.missing).toContain("position");
  });

  test("with a world file lies where that says; its system is asked for", async () => {
    const { blobs, found } = await together({
      "scan.tif": bare(),
      "scan.tfw": "10\n0\n0\n-10\n505\n995\n",
    });
    const { blobId, ...said } = await found;
    expect(blobId).toBe(blobs[0]!.id);
    // The file tells the middle of the first cell, the transform its corner.
    expect(said).toMatchObject({ grid: null, transform: [500, 10, 0, 1000, 0, -10] });
    expect("missing" in said && said.missing).toContain("crs");
    expect("noPosition" in said && said.noPosition).toMatch(/^A file beside it gives a transform/);
  });

  const MASK = buildTiff({
    width: 4,
    height: 3,
    format: 1,
    bits: 8,
    value: (c) => (c > 1 ? 255 : 0),
  });

  test("with a mask beside it says which one it is; without it a mask is nothing", async () => {
    const { blobs, found } = await together({
      "a_20250502.tif": bare(),
      "a_20250502.tif.msk": MASK,
    });
    const [image, mask] = blobs;
    expect(await found).toMatchObject({
      blobId: image!.id,
      mask: { blobId: mask!.id, name: "a_20250502.tif.msk" },
    });
    await expect(look("a.tif.msk", MASK)).rejects.toThrow(/the image is not there/);
  });

  test("whose mask has another size is refused with both", async () => {
    const other = buildTiff({ width: 5, height: 3, format: 1, bits: 8, value: () => 255 });
    const { found } = await together({ "a.tif": bare(), "a.tif.msk": other });
    await expect(found).rejects.toThrow("a.tif.msk has 5 by 3 cells, its image 4 by 3");
  });

  test("without a system takes that of the .prj beside it", async () => {
    const placed = buildTiff({
      ...{ width: 4, height: 3, format: 1, bits: 8, value: (c) => c },
      extra: at(490_000, 5_175_000, 20),
    });
    const { found } = await together({ "a.tif": placed, "a.prj": UTM27S_PRJ });
    expect(await found).toMatchObject({
      grid: { crs: { code: "EPSG:32727" }, transform: [490_000, 20, 0, 5_175_000, 0, -20] },
    });
  });

  test("keeps its own position beside a world file that says the same, and is refused where not", async () => {
    const own = radarTiff(40, 30, 1, [5, 9]);
    const same = await together({ "a.tif": own, "a.tfw": "20\n0\n0\n-20\n490010\n5174990\n" });
    expect(await same.found).toMatchObject({ grid: { crs: { code: "EPSG:32727" } } });
    const other = await together({ "a.tif": own, "a.tfw": "20\n0\n0\n-20\n490110\n5174990\n" });
    await expect(other.found).rejects.toThrow(
      "a.tfw puts a.tif at another place than the image itself says",
    );
  });

  test.each<[string, number, 1 | 2 | 3, (c: number) => number, object | null]>([
    [
      "64-bit floats with more digits",
      64,
      3,
      (c) => c / 3,
      { value: 1 / 3, becomes: Math.fround(1 / 3) },
    ],
    ["64-bit floats that 32 bits hold", 64, 3, (c) => c / 4, null],
    [
      "whole numbers past 2^24",
      32,
      1,
      (c) => 16_777_215 + c,
      { value: 16_777_217, becomes: 16_777_216 },
    ],
    ["small whole numbers of 32 bits", 32, 1, (c) => c * 1000, null],
  ])(
    "of %s asks whether they may be rounded only if they would be",
    async (_name, bits, format, value, rounding) => {
      const bytes = buildTiff({
        width: 4,
        height: 3,
        bits,
        format,
        value,
        extra: [...UTM27S_KEYS, ...at(490_000, 5_175_000, 20)],
      });
      const found = await look("heights_20250502_VV.tif", bytes);
      if (found.form !== "raster") {
        throw new Error("This is no raster");
      }
      const { rounding: said = null, missing } = found;
      expect(said).toEqual(rounding);
      expect(missing.includes("rounding")).toBe(rounding !== null);
    },
  );

  test("whose world file stands alone is missed by its name", async () => {
    const { found } = await together({ "scan.tfw": "10\n0\n0\n-10\n505\n995\n" });
    await expect(found).rejects.toThrow("scan.tfw has no image beside it");
  });

  const SRS = `<SRS>${UTM27S_PRJ.replaceAll('"', "&quot;")}</SRS>`;
  const described = (inner: string): string => `<PAMDataset>${inner}</PAMDataset>`;

  test("lies where the description beside it says, and its numbers stand for what that says", async () => {
    const place = "<GeoTransform>490000, 20, 0, 5175000, 0, -20</GeoTransform>";
    const band =
      '<PAMRasterBand band="1"><NoDataValue>2</NoDataValue><Scale>0.5</Scale></PAMRasterBand>';
    const { found } = await together({
      "a_20250502.tif": bare(),
      "a_20250502.tif.aux.xml": described(SRS + place + band),
    });
    expect(await found).toMatchObject({
      grid: { crs: { code: "EPSG:32727" }, transform: [490_000, 20, 0, 5_175_000, 0, -20] },
      nodata: "2",
      stated: [{ nodata: 2, scale: 0.5, offset: null }],
    });
  });

  test("takes the system of the description for its world file", async () => {
    const { found } = await together({
      "a.tif": bare(),
      "a.tfw": "20\n0\n0\n-20\n490010\n5174990\n",
      "a.tif.aux.xml": described(SRS),
    });
    expect(await found).toMatchObject({ grid: { crs: { code: "EPSG:32727" } } });
  });

  test("is not changed by a description of statistics", async () => {
    const own = radarTiff(40, 30, 1, [5, 9]);
    const { found } = await together({
      "a.tif": own,
      "a.tif.aux.xml": described(
        '<PAMRasterBand band="1"><Metadata><MDI key="STATISTICS_MEAN">5</MDI></Metadata></PAMRasterBand>',
      ),
    });
    const { blobId: _image, ...said } = await found;
    expect(said).toEqual(await look("a.tif", own));
  });

  test("keeps the control points of the description, and those of a rational polynomial beside it", async () => {
    const points = [
      [0, 0, 490_000, 5_175_000],
      [4, 3, 490_080, 5_174_940],
    ].map(([col, row, x, y]) => `<GCP Pixel="${col}" Line="${row}" X="${x}" Y="${y}"/>`);
    const list = `<GCPList Projection="${UTM27S_PRJ.replaceAll('"', "&quot;")}">${points.join("")}</GCPList>`;
    const { found } = await together({ "a.tif": bare(), "a.tif.aux.xml": described(list) });
    const said = await found;
    expect(said).toMatchObject({
      grid: null,
      noPosition: "a.tif.aux.xml has 2 control points instead of a grid",
    });
    // As PROJ has it.
    const [first] = "groundPoints" in said ? said.groundPoints! : [];
    expect(first!.from).toEqual([0, 0]);
    expect(first!.to[0]).toBeCloseTo(-21.123854, 6);
    expect(first!.to[1]).toBeCloseTo(-43.577897, 6);
  });

  test("of texts that say nothing of use is refused with the file's name", async () => {
    const cut = await together({ "a.tif": bare(), "a.tif.aux.xml": "<PAMDataset><SRS>" });
    await expect(cut.found).rejects.toThrow(/^a\.tif\.aux\.xml is not well-formed XML/);
    const short = await together({ "a.tif": bare(), "a_RPC.TXT": "LINE_OFF: 12 pixels\n" });
    await expect(short.found).rejects.toThrow(
      "a_RPC.TXT does not hold the numbers of a rational polynomial",
    );
  });
});
