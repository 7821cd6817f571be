/** @jest-environment jsdom */
import { act, renderHook, waitFor } from "@testing-library/react";
import OlMap from "ol/Map";
import View from "ol/View";
import type { PatchShape } from "@hindglance/contract/changeMaps";
import { Around, type Asked, answersTo, fakeServer, testClient } from "../testing/page";
import { aChangeMap, NOT_DOUBTED } from "../testing/things";
import { ALL_PATCHES } from "./patches";
import { useOutlines } from "./useOutlines";

/** A square patch of a hundredth of a degree whose lower left corner is given. */
const shape = (number: number, west: number, south: number): PatchShape => {
  const [east, north] = [west + 0.01, south + 0.01];
  const ring = [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
    [west, south],
  ];
  return {
    ...{
      number,
      label: 1,
      cells: 100,
      areaM2: 1e6,
      perimeterM: 400,
      measure: -6,
      elevation: 2,
      ...NOT_DOUBTED,
      standing: "open",
    },
    ...{ west, south, east, north },
    geometry: { type: "Polygon", coordinates: [ring] },
  };
};
const map = aChangeMap();
const IN_VIEW = [shape(1, 20.02, -30.05), shape(2, 20.06, -30.05)];
const ALONE = shape(9, 20.04, -30.08);

/** A map of 200 by 100 pixels of a thousandth of a degree, about the middle of the change map. */
function olMap(): OlMap {
  const made = new OlMap({
    controls: [],
    view: new View({ projection: "EPSG:4326", center: [20.05, -30.05], resolution: 0.001 }),
  });
  made.setSize([200, 100]);
  return made;
}

function begin(picked: number | null = null) {
  const asked = fakeServer(
    answersTo({
      "/outlines/9": ALONE,
      "/outlines": ({ path }: Asked) => (path.includes("limit=1500") ? IN_VIEW : []),
    }),
  );
  const client = testClient();
  const { result } = renderHook(() => useOutlines(map, ALL_PATCHES, picked), {
    wrapper: ({ children }) => <Around client={client}>{children}</Around>,
  });
  const onMap = olMap();
  act(() => result.current.setOlMap(onMap));
  act(() => {
    onMap.dispatchEvent("moveend");
  });
  const queries = () =>
    asked
      .filter(({ path }) => path.split("?")[0]!.endsWith("/outlines"))
      .map(({ path }) => new URLSearchParams(path.split("?")[1]));
  return { result, onMap, queries };
}

describe("outlines of patches", () => {
  test("are asked for of the part in view, as fine as a pixel, the largest first", async () => {
    const { queries } = begin();
    await waitFor(() => expect(queries()).toHaveLength(1));
    const asked = queries()[0]!;
    const box = asked.getAll("box").flatMap((value) => value.split(",").map(Number));
    // 0.1° either side of the middle, 0.05° up and down.
    expect(box).toEqual([19.95, -30.1, 20.15, -30]);
    expect(Number(asked.get("toleranceDeg"))).toBeCloseTo(0.001, 9);
    expect([asked.get("sort"), asked.get("down")]).toEqual(["area", "true"]);
  });

  test("tell which patch lies under a place", async () => {
    const { result } = begin();
    await waitFor(() => expect(result.current.at([20.025, -30.045])?.number).toBe(1));
    expect(result.current.at([20.065, -30.045])?.number).toBe(2);
    expect(result.current.at([20.045, -30.045])).toBeNull();
  });

  test("hold the picked patch even where it is none of the largest in view", async () => {
    const { result } = begin(9);
    await waitFor(() => expect(result.current.at([20.045, -30.075])?.number).toBe(9));
  });

  test("a patch is brought into the middle of the map, with room about it", async () => {
    const { result, onMap } = begin();
    await waitFor(() => expect(result.current.at([20.065, -30.045])).not.toBeNull());
    act(() => result.current.show(IN_VIEW[1]!));
    await waitFor(() => {
      const [lon, lat] = onMap.getView().getCenter()!;
      expect([lon, lat]).toEqual([expect.closeTo(20.065, 3), expect.closeTo(-30.045, 3)]);
    });
  });
});
