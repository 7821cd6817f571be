/** @jest-environment jsdom */
import { useState } from "react";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { NumberField } from "./NumberField";

const taken: number[] = [];
beforeEach(() => {
  taken.length = 0;
});

function Field(props: { start: number } & Partial<Parameters<typeof NumberField>[0]>) {
  const { start, ...more } = props;
  const [value, setValue] = useState(start);
  return (
    <NumberField
      label="Threshold"
      {...more}
      value={value}
      onCommit={(next) => {
        taken.push(next);
        setValue(next);
      }}
    />
  );
}

const field = () => screen.getByLabelText<HTMLInputElement>("Threshold");

/** Types over what stands there. */
async function type(text: string, then = "{Enter}") {
  await userEvent.click(field());
  await userEvent.clear(field());
  await userEvent.type(field(), text + then);
}

test.each([
  ["-3.5", -3.5],
  ["−3,5", -3.5],
  ["1 200", 1200],
  ["1e-3", 0.001],
  ["+.5", 0.5],
])("%s is taken as %d", async (text, value) => {
  render(<Field start={7} />);
  await type(text);
  expect(taken).toEqual([value]);
});

test.each(["0x10", "abc", "1,2,3", "12 dB", "-", "1e999"])(
  "%s is no number: said at the field, kept as typed, never sent",
  async (text) => {
    render(<Field start={7} min={-10} max={10} />);
    await type(text);
    expect(taken).toEqual([]);
    expect(field().value).toBe(text);
    expect(field()).toHaveProperty("ariaInvalid", "true");
    expect(screen.getByRole("alert").textContent).toBe("A number from −10.0 to 10.0");
    await userEvent.tab();
    expect(field().value).toBe(text);
    await userEvent.click(field());
    await userEvent.keyboard("{Escape}");
    expect(field().value).toBe("7.0");
    expect(screen.queryByRole("alert")).toBeNull();
  },
);

test("a field of whole numbers refuses a fraction instead of showing one thing and sending another", async () => {
  render(<Field start={4} decimals={0} step={1} min={1} max={9} />);
  await type("3,5");
  expect(taken).toEqual([]);
  expect(screen.getByRole("alert").textContent).toBe("A whole number from 1 to 9");
  await type("5");
  expect(taken).toEqual([5]);
  expect(field().value).toBe("5");
});

test("a small value is not shown as nought", () => {
  render(<Field start={0.001} decimals={1} />);
  expect(field().value).toBe("0.001");
});

test("usual decimals are shown, and more only where they are needed", () => {
  const { rerender } = render(<Field key={1} start={-3} decimals={1} />);
  expect(field().value).toBe("−3.0");
  rerender(<Field key={2} start={0.125} decimals={2} />);
  expect(field().value).toBe("0.125");
});

test("arrows step within the bounds, with Shift ten times as far", async () => {
  render(<Field start={0} step={0.1} min={-1} max={1.05} />);
  await userEvent.click(field());
  await userEvent.keyboard("{ArrowUp}{ArrowUp}{ArrowDown}");
  expect(taken).toEqual([0.1, 0.2, 0.1]);
  await userEvent.keyboard("{Shift>}{ArrowUp}{/Shift}");
  expect(taken.at(-1)).toBe(0.1);
  await userEvent.keyboard("{Shift>}{ArrowDown}{/Shift}");
  expect(taken.at(-1)).toBe(-0.9);
});

test("a value is taken on leaving, and not sent again when it is the same", async () => {
  render(<Field start={2} />);
  await type("2.0", "");
  await userEvent.tab();
  expect(taken).toEqual([]);
  await type("2.5", "");
  await userEvent.tab();
  expect(taken).toEqual([2.5]);
});
