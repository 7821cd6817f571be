import type { StoredOrbit } from "../db/products";
import { type SeenFrom, brokenOrbits, orbitFor, orbitServes, orbitView } from "./orbits";

const FIRST = 1000;
/** A scene of three seconds of LANTERN-1. */
const scene: SeenFrom = {
  info: null,
  detail: {
    sensor: {
      mission: "LN1",
      mode: "IW",
      pass: "descending",
      look: "right",
      wavelengthM: 0.055,
      orbit: [],
      orbitSource: "annotation",
      firstLineT: FIRST,
      lineIntervalS: 0.0015,
      sampleSpacingM: 10,
      lineSpacingM: 10,
      groundRange: [],
      lines: 2000,
      samples: 3000,
    },
  },
};

const orbit = (more: Partial<StoredOrbit> = {}): StoredOrbit => ({
  id: "a",
  studyId: "s",
  fileName: "a.EOF",
  fileSha256: "0",
  mission: "LANTERN-1",
  kind: "restituted",
  from: FIRST - 300,
  to: FIRST + 300,
  gaps: [],
  createdAt: "2025-05-20T00:00:00Z",
  ...more,
});

test("a file serves a scene of its mission that it surrounds without a gap", () => {
  expect(orbitServes(orbit(), scene)).toBe(true);
  expect(orbitServes(orbit({ mission: "LANTERN-2" }), scene)).toBe(false);
  expect(orbitServes(orbit({ from: FIRST - 20 }), scene)).toBe(false);
  expect(orbitServes(orbit({ to: FIRST + 20 }), scene)).toBe(false);
  expect(orbitServes(orbit({ gaps: [[FIRST - 40, FIRST + 20]] }), scene)).toBe(false);
  expect(orbitServes(orbit({ gaps: [[FIRST - 200, FIRST - 100]] }), scene)).toBe(true);
});
test("the precise one is taken before the newest, and neither where it has a gap there", () => {
  const precise = orbit({ id: "p", fileName: "p.EOF", kind: "precise" });
  const newer = orbit({ id: "n", createdAt: "2025-06-20T00:00:00Z" });
  const broken = orbit({
    ...{ id: "b", fileName: "b.EOF", kind: "precise", createdAt: "2025-07-01T00:00:00Z" },
    gaps: [[FIRST, FIRST + 60]],
  });
  const late = { ...precise, id: "l", createdAt: "2025-06-30T00:00:00Z" };
  expect(orbitFor([orbit(), newer], scene)?.id).toBe("n");
  expect(orbitFor([newer, broken, precise], scene)?.id).toBe("p");
  expect(orbitFor([precise, late, broken], scene)?.id).toBe("l");
  expect(orbitFor([broken], scene)).toBeNull();
  expect(brokenOrbits([newer, broken, precise], scene)).toEqual(["b.EOF"]);
});

test("a file is told with the scenes that it serves, and those at whose time it has a gap", () => {
  const named = { ...scene, name: "LN1 IW, 2 May" };
  const broken = orbit({ gaps: [[FIRST - 40, FIRST + 20]] });
  const said = (file: StoredOrbit) => {
    const { serves, broken } = orbitView(file, [named]);
    return { serves, broken };
  };
  expect(said(orbit())).toEqual({ serves: ["LN1 IW, 2 May"], broken: [] });
  expect(said(broken)).toEqual({ serves: [], broken: ["LN1 IW, 2 May"] });
  expect(said(orbit({ mission: "LANTERN-2" }))).toEqual({ serves: [], broken: [] });
});
