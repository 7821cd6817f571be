/** @jest-environment jsdom */
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { PatchRow } from "../api/types";
import { useReviewer } from "../state/reviewer";
import { useUi } from "../state/ui";
import { type Asked, answersTo, fakeServer, renderPart } from "../testing/page";
import { NOTHING_SAID, aChangeMap, NOT_DOUBTED } from "../testing/things";
import { DECIBEL } from "../compare/units";
import { Judge } from "./Judge";
import { PatchTable } from "./PatchTable";
import { StandingBar } from "./StandingBar";
import { useReview } from "./useReview";

// Rows are there as far as they fit; the test's page has no sizes of its own.
beforeAll(() => {
  Object.defineProperties(HTMLElement.prototype, {
    clientHeight: { configurable: true, get: () => 260 },
    clientWidth: { configurable: true, get: () => 300 },
  });
  HTMLElement.prototype.scrollTo = () => {};
});

const map = aChangeMap();
const patchAt = (k: number): PatchRow => ({
  ...{ number: k + 1, label: 1, cells: 100, areaM2: 1e6 - 1000 * k, perimeterM: 400 },
  ...{
    measure: -5,
    elevation: 12,
    ...NOT_DOUBTED,
    standing: "open",
    west: 20,
    south: -30.2,
    east: 20.2,
    north: -30,
  },
});
const PATCHES = [0, 1, 2, 3].map(patchAt);
const RING = [
  [20, -30.2],
  [20.2, -30.2],
  [20.2, -30],
  [20, -30.2],
];
const OUTLINES = Object.fromEntries(
  PATCHES.map((patch) => [
    `/outlines/${patch.number}`,
    { ...patch, geometry: { type: "Polygon", coordinates: [RING] } },
  ]),
);
const SAID = { reviewer: "Ben", verdict: "false", note: "a field", saidAt: "2026-03-01T10:00:00Z" };

/** The list with what is said of its patches. */
function Review() {
  const review = useReview(map);
  return (
    <>
      <StandingBar map={map} review={review} />
      <PatchTable map={map} review={review} unit={DECIBEL} />
      {review.picked && (
        <Judge map={map} patch={review.picked} verdicts={review.verdicts} judge={review.judge} />
      )}
    </>
  );
}

function open(more: Record<string, unknown> = {}) {
  let acts = 0;
  const asked = fakeServer(
    answersTo(more, {
      "/patches": { count: 4, areaM2: 4e6, patches: PATCHES },
      "/standing": { ...NOTHING_SAID, reviewers: [{ reviewer: "Ben", patches: 1 }] },
      "/patches/1/verdicts": [{ ...SAID, inherited: null }],
      "/verdicts": (one: Asked) => (one.method === "POST" ? { act: ++acts, patches: 1 } : []),
      "/verdict-acts": [
        {
          id: 7,
          reviewer: "Ben",
          verdict: "false",
          saidAt: SAID.saidAt,
          patches: 3,
          undone: false,
        },
      ],
      ...OUTLINES,
      "/outlines": [],
    }),
  );
  renderPart(<Review />);
  const said = () => asked.filter(({ method }) => method !== "GET");
  return { asked, said };
}
const key = (name: string, more: object = {}) => fireEvent.keyDown(window, { key: name, ...more });
const rows = async () => {
  await screen.findAllByRole("row", { selected: false });
  return screen.getAllByRole("row").slice(1);
};

beforeEach(() => useReviewer.setState({ name: "Ann" }));

test("R, F and O say it of the picked patch, mark it at once, and go on", async () => {
  const { said } = open();
  await rows();
  key("j");
  key("r");
  key("f");
  key("o");
  await waitFor(() => expect(said()).toHaveLength(3));
  expect(said().map(({ body }) => body)).toEqual(
    (["real", "false", "open"] as const).map((verdict, k) => ({
      ...{ reviewer: "Ann", verdict, note: null, numbers: [k + 1], which: null },
    })),
  );
  expect(screen.getAllByRole("row", { selected: true })[0]!.textContent).toMatch(/^New water4/);
});

test("nobody speaks without a name", async () => {
  useReviewer.setState({ name: "" });
  const told: string[] = [];
  useUi.setState({ say: (text) => void told.push(text) });
  const { said } = open();
  await rows();
  key("j");
  key("r");
  expect(told).toEqual([expect.stringMatching(/^Write your name first/)]);
  expect(said()).toEqual([]);
  await userEvent.type(screen.getByLabelText("Your name"), "Cora{Enter}");
  expect(screen.getByText("as Cora")).toBeTruthy();
  key("r");
  await waitFor(() => expect(said()[0]!.body).toMatchObject({ reviewer: "Cora", numbers: [1] }));
});

test("the last act is taken back and said again", async () => {
  const { said } = open();
  await rows();
  key("j");
  key("r");
  const undo = await screen.findByRole("button", { name: "Take back the last verdict" });
  await waitFor(() => expect(undo).toHaveProperty("disabled", false));
  await userEvent.click(undo);
  await waitFor(() => expect(said()[1]).toMatchObject({ body: { undone: true } }));
  expect(said()[1]!.path).toMatch(/\/verdict-acts\/1$/);
  await userEvent.click(screen.getByRole("button", { name: "Say it again" }));
  await waitFor(() => expect(said()[2]).toMatchObject({ body: { undone: false } }));
});

test("all that are listed are judged by the question, not by their numbers", async () => {
  const { said } = open();
  await rows();
  await userEvent.click(screen.getByRole("button", { name: "real" }));
  await userEvent.click(screen.getByRole("button", { name: "all listed …" }));
  const all = await screen.findByRole("dialog", { name: "All that are listed" });
  await userEvent.click(within(all).getByRole("button", { name: "False" }));
  await waitFor(() => expect(said()).toHaveLength(1));
  expect(said()[0]!.body).toMatchObject({
    ...{ verdict: "false", numbers: null },
    which: { standings: ["open", "false", "disputed"], labels: null },
  });
});

test("who said what is told of the patch, and of the map, where any of it can be taken back", async () => {
  const { said } = open();
  await rows();
  key("j");
  const list = await screen.findByRole("list", { name: "Said of it" });
  await waitFor(() => expect(list.textContent).toBe("Ben: false, 1 March 10:00 UTC. a field"));
  await userEvent.click(screen.getByRole("button", { name: "history" }));
  expect((await screen.findByRole("list", { name: "Reviewers" })).textContent).toBe(
    "Ben judged 1 patch",
  );
  await userEvent.click(await screen.findByRole("button", { name: "Take back" }));
  await waitFor(() => expect(said()[0]!.path).toMatch(/\/verdict-acts\/7$/));
});

test("a note is kept when its window closes", async () => {
  const { said } = open();
  await rows();
  key("j");
  await userEvent.click(await screen.findByRole("button", { name: "Note" }));
  await userEvent.type(await screen.findByRole("textbox"), "wet field");
  await userEvent.click(screen.getByRole("button", { name: "Keep note" }));
  await waitFor(() =>
    expect(said()[0]!.body).toMatchObject({ note: "wet field", verdict: null, numbers: [1] }),
  );
});
