import { aBand, aScene, anImage } from "../testing/things";
import { firstDisplay } from "./display";
import { displayFrom } from "./useSceneAddress";

const scene = aScene({ info: anImage({ bands: [aBand(), aBand()] }) });

test("a display survives the way through the address", () => {
  const display = { ...firstDisplay(scene), stretch: "p5" as const, gamma: 1.4 };
  expect(displayFrom(JSON.stringify(display), scene)).toEqual(display);
});

test.each([
  ["nothing", null],
  ["no JSON", "{oops"],
  ["another shape", '{"mode":"single"}'],
  ["bands that are not there", JSON.stringify({ ...firstDisplay(scene), bands: [0, 1, 7] })],
  ["an unknown stretch", JSON.stringify({ ...firstDisplay(scene), stretch: "wide" })],
])("%s is no display", (_what, text) => {
  expect(displayFrom(text, scene)).toBeNull();
});
