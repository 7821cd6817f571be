/** @jest-environment jsdom */
import { fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type Crs, LONLAT, utm } from "@hindglance/core/geodesy/crs";
import type { Overlay, OverlayFeatures } from "@hindglance/contract/scenes";
import { pictureFrame } from "@hindglance/core/grid/frames";
import { overlayLayer } from "../map/overlayLayer";
import { useOutline } from "../map/useOutline";
import { Refusal, answersTo, fakeServer, pickOption, renderPart } from "../testing/page";
import { aStudy } from "../testing/things";
import { OverlayList } from "./OverlayList";
import { ZoneList } from "./ZoneList";

const overlay = (more: Partial<Overlay> = {}): Overlay => ({
  id: "o1",
  studyId: "s1",
  name: "Roads",
  fileName: "roads.gpkg",
  fileSha256: "a".repeat(64),
  color: "#e8c25a",
  labelField: null,
  fields: ["ref"],
  features: 2,
  shown: true,
  createdAt: "2025-05-14T00:00:00Z",
  ...more,
});
const FEATURES: OverlayFeatures = {
  type: "FeatureCollection" as const,
  features: [
    {
      type: "Feature" as const,
      properties: { ref: "A 1" },
      geometry: {
        type: "LineString",
        coordinates: [
          [-21, -44],
          [-20, -43],
        ],
      },
    },
    {
      type: "Feature" as const,
      properties: {},
      geometry: { type: "Point", coordinates: [-21, -44] },
    },
  ],
};

describe("the list of overlays", () => {
  const show = (answer = answersTo({ "/overlays": [overlay()], "/overlays/o1": overlay() })) => {
    const asked = fakeServer(answer);
    renderPart(<OverlayList studyId="s1" />);
    return () => asked.filter(({ method }) => method !== "GET");
  };

  test("tells each with its features; colour, label and whether it is shown are changed in place", async () => {
    const changes = show();
    expect(await screen.findByText("overlay, 2 features")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Hide Roads" }));
    await pickOption("Label of Roads", "ref");
    fireEvent.change(screen.getByLabelText("Colour of Roads"), { target: { value: "#112233" } });
    await waitFor(() =>
      expect(changes().map(({ method, path, body }) => [method, path, body])).toEqual([
        ["PATCH", "/overlays/o1", { shown: false }],
        ["PATCH", "/overlays/o1", { labelField: "ref" }],
        ["PATCH", "/overlays/o1", { color: "#112233" }],
      ]),
    );
  });

  test("a label is taken away, an overlay removed", async () => {
    const changes = show(
      answersTo({ "/overlays": [overlay({ labelField: "ref", shown: false })] }),
    );
    expect(await screen.findByRole("button", { name: "Show Roads" })).toBeTruthy();
    await pickOption("Label of Roads", "no label");
    await userEvent.click(screen.getByRole("button", { name: "Remove overlay Roads" }));
    await waitFor(() => expect(changes()).toHaveLength(2));
    expect(changes()[0]!.body).toEqual({ labelField: null });
    expect(changes()[1]!.method).toBe("DELETE");
  });
});

test("zones are laid over every map at a click", async () => {
  const zones = [
    {
      ...{ id: "z1", studyId: "s1", name: "Districts", fileName: "d.geojson", nameField: "name" },
      features: 5,
    },
  ];
  const asked = fakeServer(answersTo({ "/zones": zones, "/zones/z1/overlay": overlay() }));
  renderPart(<ZoneList studyId="s1" />);
  await userEvent.click(
    await screen.findByRole("button", { name: "Lay Districts over every map" }),
  );
  await waitFor(() =>
    expect(asked.filter(({ method }) => method === "POST").map(({ path }) => path)).toEqual([
      "/zones/z1/overlay",
    ]),
  );
});

describe("what lies over a map", () => {
  const Count = ({ crs }: { crs: Crs }) => {
    const area = {
      type: "MultiPolygon" as const,
      coordinates: [
        [
          [
            [-21, -44],
            [-20, -44],
            [-20, -43],
            [-21, -44],
          ],
        ],
      ] as [number, number][][][],
    };
    const layers = useOutline(aStudy({ id: "s1", studyArea: area }), { grid: { crs } });
    return <output>{layers.length}</output>;
  };
  const serve = (...overlays: Overlay[]) =>
    fakeServer(answersTo({ "/features": FEATURES, "/overlays": overlays }));

  test("is each overlay that is shown, and the study area", async () => {
    serve(overlay(), overlay({ id: "o2", shown: false }), overlay({ id: "o3" }));
    renderPart(<Count crs={LONLAT} />);
    await waitFor(() => expect(screen.getByRole("status").textContent).toBe("3"));
  });
  test("is nothing over a picture without position", async () => {
    const asked = serve(overlay());
    renderPart(<Count crs={pictureFrame("p")} />);
    await waitFor(() => expect(asked.some(({ path }) => path.endsWith("/features"))).toBe(true));
    expect(screen.getByRole("status").textContent).toBe("0");
  });
  test("stays away where the server cannot tell it", async () => {
    fakeServer(() => new Refusal(500, { code: "broken", message: "It is broken" }));
    renderPart(<Count crs={LONLAT} />);
    await waitFor(() => expect(screen.getByRole("status").textContent).toBe("1"));
  });
  test("lies where the map's system has it, with the label that is asked for", () => {
    const crs = utm(27, true);
    const layer = overlayLayer(
      FEATURES,
      { color: "#e8c25a", labelField: "ref" },
      {
        crs,
        onto: null,
      },
    );
    const [line, point] = layer.getSource()!.getFeatures();
    // The middle of zone 27 is 21° west: easting 500 km there.
    expect(line!.getGeometry()!.getExtent()[0]).toBeCloseTo(500_000, 3);
    const style = layer.getStyleFunction()!;
    const textOf = (feature: NonNullable<typeof line>) => {
      const found = style(feature, 1);
      const styles = Array.isArray(found) ? found : [];
      return styles.map((one) => one.getText()?.getText()).filter(Boolean);
    };
    expect(textOf(line!)).toEqual(["A 1"]);
    expect(textOf(point!)).toEqual([]);
  });
});
