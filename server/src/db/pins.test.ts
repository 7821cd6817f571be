import { emptySetup } from "@hindglance/core/change/defaults";
import { databaseForTests } from "../testing/database";
import { type PinExpectation, createPin, deletePin, listPins, updatePin } from "./pins";
import { createPreset, deletePreset, listPresets } from "./presets";

const testDatabase = databaseForTests();
let study: string;
const { withClient } = testDatabase;
beforeAll(async () => {
  study = await testDatabase.study("Pins");
});

const NOBODY = "0a000000-0000-4000-8000-0000000000ff";
const EXPECTED: PinExpectation = { sceneId: null, band: "VV", value: -18, tolerance: 2 };

describe("pins", () => {
  const pin = (name: string) =>
    withClient((client) =>
      createPin(client, { studyId: study, name, lon: -20.99, lat: -43.6, expected: null }),
    );
  afterEach(() => withClient((client) => client.query("DELETE FROM pin")));

  test("are kept in the order they were set, to the last digit of their place", async () => {
    await pin("Mill pond");
    await withClient((client) =>
      createPin(client, {
        studyId: study,
        name: "Weir",
        lon: -20.123456789012,
        lat: -43.987654321098,
        expected: EXPECTED,
      }),
    );
    const list = await withClient((client) => listPins(client, study));
    expect(list.map(({ name, lon, lat, expected }) => [name, lon, lat, expected])).toEqual([
      ["Mill pond", -20.99, -43.6, null],
      ["Weir", -20.123456789012, -43.987654321098, EXPECTED],
    ]);
    expect(await withClient((client) => listPins(client, NOBODY))).toEqual([]);
  });

  test("a name changes and the expectation stays; an expectation is set and taken back", async () => {
    const { id } = await pin("Mill pond");
    const change = (entry: Parameters<typeof updatePin>[2]) =>
      withClient((client) => updatePin(client, id, entry));
    expect(await change({ expected: EXPECTED })).toMatchObject({
      name: "Mill pond",
      expected: EXPECTED,
    });
    expect(await change({ name: "Pond" })).toMatchObject({ name: "Pond", expected: EXPECTED });
    expect(await change({ expected: null })).toMatchObject({ name: "Pond", expected: null });
  });

  test("one that is not there is neither changed nor deleted", async () => {
    expect(await withClient((client) => updatePin(client, NOBODY, { name: "x" }))).toBeNull();
    expect(await withClient((client) => deletePin(client, NOBODY))).toBe(false);
    const { id } = await pin("Mill pond");
    expect(await withClient((client) => deletePin(client, id))).toBe(true);
    expect(await withClient((client) => listPins(client, study))).toEqual([]);
  });
});

describe("presets", () => {
  const { rules, limits } = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
  test("stand by name whatever the case, hold what was given, and go", async () => {
    const preset = (name: string) =>
      withClient((client) =>
        createPreset(client, {
          name,
          comparing: "power",
          unit: "dB",
          measure: "logRatio",
          formula: null,
          own: {},
          rules,
          limits,
        }),
      );
    const last = await preset("weir");
    await preset("Alder");
    await preset("mill");
    const names = async () => (await withClient(listPresets)).map(({ name }) => name);
    expect(await names()).toEqual(["Alder", "mill", "weir"]);
    expect((await withClient(listPresets))[2]).toEqual(last);
    expect(await withClient((client) => deletePreset(client, last.id))).toBe(true);
    expect(await withClient((client) => deletePreset(client, last.id))).toBe(false);
    expect(await names()).toEqual(["Alder", "mill"]);
  });
});
