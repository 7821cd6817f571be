/** @jest-environment jsdom */
import { fireEvent, render, renderHook, screen } from "@testing-library/react";
import { useUi } from "../state/ui";
import { useFrameKeys } from "./useFrameKeys";

const ui = () => useUi.getState();
beforeEach(() => {
  ui().setView("pair");
  ui().setHelp(false);
  ui().setGlancing(false);
});
const begin = () => renderHook(() => useFrameKeys());

test.each([
  ["1", "pair"],
  ["2", "curtain"],
  ["3", "blend"],
  ["4", "one"],
])("%s shows the map as %s", (key, view) => {
  begin();
  ui().setView(view === "pair" ? "one" : "pair");
  fireEvent.keyDown(window, { key });
  expect(ui().view).toBe(view);
});

test("a question mark opens the help", () => {
  begin();
  fireEvent.keyDown(window, { key: "?" });
  expect(ui().helpOpen).toBe(true);
});

test("Space glances as long as it is held, and stops when the window is left", () => {
  begin();
  fireEvent.keyDown(document.body, { code: "Space", key: " " });
  expect(ui().glancing).toBe(true);
  fireEvent.keyUp(window, { code: "KeyA" });
  expect(ui().glancing).toBe(true);
  fireEvent.keyUp(window, { code: "Space" });
  expect(ui().glancing).toBe(false);
  fireEvent.keyDown(document.body, { code: "Space", key: " " });
  fireEvent.blur(window);
  expect(ui().glancing).toBe(false);
});

test("on a button Space presses it, in a field every key is typed", () => {
  begin();
  render(
    <>
      <button type="button">Go</button>
      <input aria-label="Name" />
      <select aria-label="Kind" />
    </>,
  );
  fireEvent.keyDown(screen.getByRole("button"), { code: "Space", key: " " });
  expect(ui().glancing).toBe(false);
  for (const field of [screen.getByLabelText("Name"), screen.getByLabelText("Kind")]) {
    fireEvent.keyDown(field, { key: "2" });
    fireEvent.keyDown(field, { key: "?" });
    fireEvent.keyDown(field, { code: "Space", key: " " });
  }
  expect(ui()).toMatchObject({ view: "pair", helpOpen: false, glancing: false });
});

test.each([{ ctrlKey: true }, { metaKey: true }, { altKey: true }])(
  "with %o the browser's own keys are left alone",
  (held) => {
    begin();
    fireEvent.keyDown(window, { key: "2", ...held });
    expect(ui().view).toBe("pair");
  },
);

test("keys are let go with the page", () => {
  const { unmount } = begin();
  unmount();
  fireEvent.keyDown(window, { key: "2" });
  expect(ui().view).toBe("pair");
});
