/** @jest-environment jsdom */
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { Exposure } from "@hindglance/contract/exposure";
import type { Study } from "../api/types";
import { type Asked, answersTo, fakeServer, pickOption, renderPart } from "../testing/page";
import { aChangeMap, aScene, aStudy } from "../testing/things";
import { Asking } from "./Asking";
import { AssetList, CoverTable, CutTable, LayerTable, PeopleTable } from "./Tables";
import {
  amountText,
  cutText,
  layerText,
  peopleText,
  whereText,
} from "@hindglance/contract/exposureWords";

const map = aChangeMap();
const [water, other] = map.info.classes!;
const study: Study = aStudy();
const POPULATION = "00000000-0000-4000-8000-000000000001";
const ROADS = "00000000-0000-4000-8000-000000000002";
const PLACES = "00000000-0000-4000-8000-000000000003";

const CUT = {
  ...{ name: "Valley road", metres: 1389, stretches: 4, zone: 1, deepestM: 1.26 },
  at: [20.1, -30.1] as [number, number],
  connects: ["Dam house", "Hospital"] as [string | null, string | null],
  aroundM: 35_033,
};
const EXPOSURE: Exposure = {
  ...{ countedAt: "2026-03-01T10:00:00Z", zones: ["North", "South"], flooded: [water!.label] },
  people: {
    ...{ sceneId: POPULATION, name: "Census" },
    sums: {
      zones: 3,
      entries: [
        [256 + water!.label, 1200.4],
        [512 + water!.label, 0.2],
        [512 + 0, 99],
      ],
      beyond: 7,
    },
  },
  cover: {
    ...{ sceneId: "c1", name: "Cover of 2024" },
    classes: [
      { label: 1, name: "Crop", color: "#e0b04f" },
      { label: 2, name: "Wood", color: "#2f6b45" },
    ],
    sums: [{ zone: 1, label: water!.label, cover: 1, cells: 100, areaM2: 2e6 }],
  },
  layers: [
    {
      ...{ overlayId: ROADS, name: "Roads", isRoads: true, features: 6 },
      sums: [
        { shape: "line", zone: 1, label: water!.label, count: 2, amount: 1500 },
        { shape: "line", zone: 2, label: water!.label, count: 1, amount: 500 },
        { shape: "line", zone: 2, label: 0, count: 6, amount: 9000 },
      ],
    },
    {
      ...{ overlayId: PLACES, name: "Places", isRoads: false, features: 9 },
      sums: [
        { shape: "point", zone: 1, label: water!.label, count: 1, amount: 1 },
        { shape: "polygon", zone: 1, label: water!.label, count: 1, amount: 125_000 },
      ],
    },
  ],
  listed: [
    {
      ...{ layer: 1, name: "Pumping station", shape: "point", at: [20.2, -30.2] },
      parts: [{ zone: 1, label: water!.label, amount: 1 }],
      depth: { deepestM: 0.84, meanM: 0.84 },
    },
  ],
  affected: 1,
  cuts: [CUT],
};

test("words: people, amounts, layers, places, cuts", () => {
  expect([0, 0.2, 0.6, 1234.5].map(peopleText)).toEqual(["·", "< 1", "1", "1\u2009235"]);
  expect(amountText("line", 1234)).toBe("1.23 km");
  expect(amountText("polygon", 125_000)).toBe("0.125 km²");
  expect(layerText(EXPOSURE.layers[0]!, water!.label)).toBe("2.00 km");
  expect(layerText(EXPOSURE.layers[1]!, water!.label)).toBe("1 point + 0.125 km²");
  expect(layerText(EXPOSURE.layers[1]!, other!.label)).toBe("·");
  expect(whereText(EXPOSURE.listed[0]!, map, EXPOSURE)).toBe(`${water!.name.toLowerCase()}, North`);
  expect(cutText(CUT)).toBe("parts Dam house from Hospital; dry way round 35.0 km");
  const alone = { ...CUT, connects: ["Dam house", null] as [string, null], aroundM: null };
  expect(cutText(alone)).toBe("no dry road on from Dam house; no dry way round");
  expect(cutText({ ...alone, connects: ["Inn", "Inn"] })).toBe(
    "on the way from Inn; no dry way round",
  );
  expect(cutText({ ...alone, connects: [null, null] })).toBe(
    "reached from no place; no dry way round",
  );
});

test("tables have the classes under which anything lies", async () => {
  const show = jest.fn<void, [[number, number]]>();
  renderPart(
    <>
      <PeopleTable map={map} exposure={EXPOSURE} />
      <CoverTable map={map} exposure={EXPOSURE} />
      <LayerTable map={map} exposure={EXPOSURE} />
      <CutTable map={map} exposure={EXPOSURE} show={show} />
      <AssetList map={map} exposure={EXPOSURE} show={show} />
    </>,
  );
  const rowsOf = (name: string) =>
    within(screen.getByRole("table", { name }))
      .getAllByRole("row")
      .map(({ textContent }) => textContent);
  expect(rowsOf("People by class")).toEqual([
    `zone${water!.name}`,
    "North1\u2009200",
    "South< 1",
    "In no zone·",
    "All1\u2009201",
  ]);
  expect(rowsOf("Land cover by class")).toEqual([`land cover${water!.name}`, "Crop2.000"]);
  expect(rowsOf("Assets by class")).toEqual([
    `layer${water!.name}`,
    "Roads2.00 km",
    "Places1 point + 0.125 km²",
  ]);
  const cut = within(screen.getByRole("list", { name: "Roads cut" })).getByRole("button");
  expect(cut.textContent).toContain("1\u2009389 m in 4 stretches, to 1.3 m deep");
  await userEvent.click(cut);
  await userEvent.click(screen.getByRole("button", { name: /Pumping station/ }));
  expect(show.mock.calls).toEqual([[CUT.at], [[20.2, -30.2]]]);
});

describe("what is counted", () => {
  const layer = (id: string, name: string) => ({ id, name, features: 5, shown: false });
  const open = (exposure: Exposure | null) => {
    const asked = fakeServer(
      answersTo(
        {},
        {
          "/scenes": [
            aScene({ id: POPULATION, kind: "population", name: "Census", imageId: "i9" }),
            aScene({ id: "r1", kind: "radar" }),
          ],
          "/overlays": [layer(ROADS, "Main roads"), layer(PLACES, "Places")],
          "/exposure": (one: Asked) => (one.method === "POST" ? { runId: "r" } : { exposure }),
          "/runs": [],
        },
      ),
    );
    renderPart(<Asking study={study} map={map} exposure={exposure} />);
    return asked;
  };
  const sent = (asked: Asked[]) => asked.filter(({ method }) => method === "POST");

  test("begins with all that the study has; layers named so are roads", async () => {
    const asked = open(null);
    await userEvent.click(await screen.findByRole("button", { name: "Count" }));
    await waitFor(() => expect(sent(asked)).toHaveLength(1));
    expect(sent(asked)[0]!.body).toMatchObject({
      ...{ populationId: POPULATION, coverId: null },
      ...{ overlayIds: [ROADS, PLACES], roadIds: [ROADS] },
    });
  });

  test("begins with what was counted last; what is left out is not asked for", async () => {
    const asked = open(EXPOSURE);
    const places = await screen.findByRole("checkbox", { name: /Places/ });
    const button = () => screen.getByRole<HTMLButtonElement>("button", { name: "Count" });
    await userEvent.click(places);
    await userEvent.click(screen.getByRole("checkbox", { name: /Main roads/ }));
    await pickOption("People, by a population grid", "not counted");
    // The land cover that was counted is not in the study any more: nothing is left to count.
    expect(button().disabled).toBe(true);
    await userEvent.click(places);
    await userEvent.click(screen.getByRole("button", { name: water!.name }));
    await userEvent.click(screen.getByRole("button", { name: "Count" }));
    await waitFor(() => expect(sent(asked)).toHaveLength(1));
    expect(sent(asked)[0]!.body).toEqual({
      ...{ populationId: null, coverId: null, overlayIds: [PLACES], roadIds: [], flooded: [] },
    });
  });
});
