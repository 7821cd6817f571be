/** @jest-environment jsdom */
import { screen, within } from "@testing-library/react";
import { renderPart } from "../testing/page";
import { aChangeMap } from "../testing/things";
import { DepthSection } from "./DepthSection";
import { waterClasses } from "./depth";

const written = aChangeMap();
const plain = {
  ...written,
  provenance: { ...written.provenance, elevation: written.provenance.before },
};
const named = (...names: string[]) => ({
  info: {
    ...plain.info,
    classes: names.map((name, k) => ({ label: k + 1, name, color: "#33498c" })),
  },
});

describe("classes that are water", () => {
  test("are told by their names; what fell dry is none", () => {
    const map = named(
      ...["New water", "Standing water or smooth ground", "Receded water"],
      ...["Flooded vegetation, likely", "Burned"],
    );
    expect(waterClasses(map)).toEqual({ flooded: [1], wet: [2, 4] });
  });
  test("are the first class where no name says so", () => {
    expect(waterClasses(named("Dark after", "Other"))).toEqual({ flooded: [1], wet: [] });
    expect(waterClasses(named())).toEqual({ flooded: [], wet: [] });
  });
});

const section = (map: typeof written) =>
  renderPart(<DepthSection map={map} isShown={false} show={() => {}} />);

describe("water level and depth", () => {
  test("need an elevation, and say so", () => {
    section(written);
    expect(screen.getByText(/written without an elevation model/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Measure depth" })).toBeNull();
  });
  test("are asked for with the classes that are water", () => {
    section(plain);
    const flooded = screen.getByRole("group", { name: "Came under water" });
    const on = within(flooded).getAllByRole("button", { pressed: true });
    expect(on.map((one) => one.textContent)).toEqual([plain.info.classes![0]!.name]);
    expect(screen.getByRole("button", { name: "Measure depth" })).toBeTruthy();
  });
  test("stand with volume, mean and deepest, and with what is not known", () => {
    const { label } = plain.info.classes![0]!;
    const depth = {
      ...{ imageId: "i3", countedAt: "2025-05-15T08:00:00Z", flooded: [label], wet: [label] },
      sums: {
        zones: 1,
        deepestM: 3.25,
        entries: [[label, 4e6, 6e6, 5e5]] as [number, number, number, number][],
      },
    };
    section({ ...plain, depth });
    const text = document.body.textContent;
    expect(text).toContain("6.00 million m³");
    expect(text).toContain("1.50 m deep on the average");
    expect(screen.getByRole("status").textContent).toContain("0.50");
    expect(screen.getByRole("button", { name: "on the map" })).toBeTruthy();
  });
});
