/** @jest-environment jsdom */
import { fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { QueryClientProvider } from "@tanstack/react-query";
import { App } from "./app";
import { Refusal, answersTo, fakeServer, testClient } from "./testing/page";
import { SCENES, STUDY } from "./testing/comparing";
import { aField, aNode, aStudy, idOf } from "./testing/things";

// What the router asks for a page with, which the test's page does not have.
class PageRequest {
  readonly method = "GET";
  readonly headers = new Map<string, string>();
  readonly signal: AbortSignal | undefined;
  constructor(
    readonly url: string,
    { signal }: { signal?: AbortSignal } = {},
  ) {
    this.signal = signal;
  }
}
// Nothing happens elsewhere while these tests run.
Object.assign(globalThis, {
  Request: PageRequest,
  EventSource: class {
    addEventListener() {}
    removeEventListener() {}
    close() {}
  },
});

const other = aStudy({ id: idOf(9), name: "Karst fire", hazard: "fire" });
const summary = (study: typeof STUDY) => ({ ...study, scenes: 4, changeMaps: 0, bytes: 1000 });
const answers = {
  [`/studies/${STUDY.id}`]: STUDY,
  [`/studies/${other.id}`]: other,
  "/studies/gone": () => new Refusal(404, { code: "notFound", message: "No such study" }),
  "/studies": [summary(STUDY), summary(other)],
  [`${STUDY.id}/scenes`]: SCENES,
  "/node": aNode("a"),
  "/fields": aField(),
  "/values": { scenes: [], heights: [] },
};
const path = () => location.pathname;

/** The whole application; addresses go on from where the test before was. */
function open() {
  fakeServer(answersTo(answers));
  render(
    <QueryClientProvider client={testClient()}>
      <App />
    </QueryClientProvider>,
  );
}
const stages = () => within(screen.getByRole("navigation", { name: "Stages" }));

test("from the list of studies through the stages of one, and to another", async () => {
  open();
  await userEvent.click(await screen.findByRole("button", { name: /^Vell.*change maps/ }));
  await screen.findByText("Scenes · 4", {}, { timeout: 20_000 });
  expect(path()).toBe(`/studies/${STUDY.id}/scenes`);
  await userEvent.click(stages().getByRole("link", { name: /^Tally/ }));
  // A stage is loaded when it is first opened.
  await screen.findByText("Nothing to count yet", {}, { timeout: 20_000 });
  expect(
    stages()
      .getByRole("link", { name: /^Tally/ })
      .getAttribute("aria-current"),
  ).toBe("page");
  await userEvent.click(screen.getByRole("button", { name: /^Vell/ }));
  await userEvent.click(screen.getByRole("menuitem", { name: "Karst fire" }));
  await screen.findByText("No scene yet");
  expect(path()).toBe(`/studies/${other.id}/scenes`);
  await userEvent.click(screen.getByRole("link", { name: "Hind Glance" }));
  expect(path()).toBe("/");
});

test("the keys are listed at a question mark, and Escape closes the list", async () => {
  open();
  await screen.findByRole("button", { name: /^Vell.*change maps/ });
  fireEvent.keyDown(window, { key: "?" });
  const sheet = within(await screen.findByRole("dialog", { name: "Keys" }));
  expect(sheet.getByText("Pair, Curtain, Blend, One")).toBeTruthy();
  await userEvent.keyboard("{Escape}");
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
});

describe("an address", () => {
  const goTo = (address: string) => {
    history.pushState({}, "", address);
    fireEvent.popState(window);
  };
  test("of a study that is not there says so, with the way back", async () => {
    open();
    goTo("/studies/gone/scenes");
    expect((await screen.findByRole("alert")).textContent).toBe("No such study.");
    expect(screen.getByRole("button", { name: "All studies" })).toBeTruthy();
  });

  test("that is none says so", async () => {
    open();
    goTo("/nowhere");
    expect((await screen.findByRole("alert")).textContent).toBe(
      "There is no page at this address.",
    );
  });

  test("of a study alone leads to its scenes", async () => {
    open();
    goTo(`/studies/${STUDY.id}`);
    await waitFor(() => expect(path()).toBe(`/studies/${STUDY.id}/scenes`));
  });
});
