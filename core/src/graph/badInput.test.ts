import { buildChange } from "../change/build";
import { changeSetupSchema } from "../change/setup";
import { multiPolygonFrom } from "../vector/polygons";
import { setup, inputs } from "../testing/pairOfDates";

describe("bad input", () => {
  test("study areas say what is wrong", () => {
    expect(() => multiPolygonFrom({ type: "Point", coordinates: [0, 0] })).toThrow(
      /Point has no area/,
    );
    expect(() => multiPolygonFrom("nonsense")).toThrow(/not GeoJSON/);
    expect(() =>
      multiPolygonFrom({
        type: "Polygon",
        coordinates: [
          [
            [0, 0],
            [1, 1],
          ],
        ],
      }),
    ).toThrow(/fewer than three corners/);
    expect(() =>
      multiPolygonFrom({
        type: "Polygon",
        coordinates: [
          [
            [0, 0],
            [1, "x"],
            [1, 0],
            [0, 0],
          ],
        ],
      }),
    ).toThrow(/not two numbers/);
    expect(() => multiPolygonFrom({ type: "FeatureCollection", features: [] })).toThrow(
      /no polygon/,
    );
    expect(
      multiPolygonFrom({
        type: "Feature",
        geometry: {
          type: "Polygon",
          coordinates: [
            [
              [0, 0],
              [1, 0],
              [1, 1],
            ],
          ],
        },
      })[0]![0],
    ).toHaveLength(4);
  });
  test("a setup with a wrong number names its field", () => {
    expect(() =>
      changeSetupSchema.validateSync(
        { ...setup, limits: { ...setup.limits, maxSlopeDeg: 95 } },
        { strict: true },
      ),
    ).toThrow(/limits.maxSlopeDeg/);
    expect(() => changeSetupSchema.validateSync({ ...setup, rules: [] }, { strict: true })).toThrow(
      /rules/,
    );
    expect(changeSetupSchema.validateSync(setup, { strict: true })).toEqual(setup);
  });
  test("limits that need what is not there are refused", async () => {
    const i = await inputs();
    expect(() => buildChange({ ...i, elevation: null }, setup)).toThrow(/needs elevation/);
    expect(() => buildChange({ ...i, studyArea: null }, setup)).toThrow(/no study area/);
    expect(() => buildChange(i, { ...setup, band: 3 })).toThrow(/no band 4/);
  });
});
