/** @jest-environment jsdom */
import { useState } from "react";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import "../testing/page";
import { Bar } from "./Bar";
import { Button } from "./Button";
import { Chip } from "./Chip";
import { Choice } from "./Choice";
import { Confirm } from "./Confirm";
import { Labelled } from "./Labelled";
import { Problem } from "./Messages";
import { Pick } from "./Pick";
import { Pop } from "./Pop";
import { Sheet } from "./Sheet";

const OPTIONS = [
  { value: "a", name: "First", hint: "the first one" },
  { value: "b", name: "Second" },
  { value: "c", name: "Third" },
];

function Chosen({ onChange }: { onChange(value: string): void }) {
  const [value, setValue] = useState("a");
  return (
    <Choice
      label="Which"
      value={value}
      onChange={(next) => {
        onChange(next);
        setValue(next);
      }}
      options={OPTIONS}
    />
  );
}

describe("Choice", () => {
  test("says what it is of, which is chosen, and what each means", () => {
    render(<Choice label="Which" value="b" onChange={() => {}} options={OPTIONS} />);
    expect(screen.getByRole("radiogroup", { name: "Which" })).toBeTruthy();
    const states = screen.getAllByRole("radio").map((radio) => radio.getAttribute("aria-checked"));
    expect(states).toEqual(["false", "true", "false"]);
    expect(screen.getByRole("radio", { name: "First" }).title).toBe("the first one");
  });
  test("a click chooses; a click on what is chosen asks for nothing new", async () => {
    const taken: string[] = [];
    render(<Chosen onChange={(value) => taken.push(value)} />);
    await userEvent.click(screen.getByRole("radio", { name: "Third" }));
    expect(taken).toEqual(["c"]);
    expect(screen.getByRole("radio", { name: "Third" }).getAttribute("aria-checked")).toBe("true");
  });
  test("arrow keys go from one to the next", async () => {
    const taken: string[] = [];
    render(<Chosen onChange={(value) => taken.push(value)} />);
    await userEvent.tab();
    expect(document.activeElement?.textContent).toBe("First");
    await userEvent.keyboard("{ArrowRight}");
    expect(document.activeElement?.textContent).toBe("Second");
  });
});

describe("Pick", () => {
  test("opens by key, and takes what is picked", async () => {
    const taken: string[] = [];
    render(
      <Pick label="Which" value="a" onChange={(value) => taken.push(value)} options={OPTIONS} />,
    );
    const trigger = screen.getByRole("combobox", { name: "Which" });
    expect(trigger.textContent).toContain("First");
    trigger.focus();
    await userEvent.keyboard("{Enter}");
    await userEvent.click(await screen.findByRole("option", { name: "Second" }));
    expect(taken).toEqual(["b"]);
  });
  test("Escape closes it and takes nothing", async () => {
    const taken: string[] = [];
    render(
      <Pick label="Which" value="a" onChange={(value) => taken.push(value)} options={OPTIONS} />,
    );
    screen.getByRole("combobox", { name: "Which" }).focus();
    await userEvent.keyboard("{Enter}{Escape}");
    expect(screen.queryByRole("option")).toBeNull();
    expect(taken).toEqual([]);
  });
});

function Dialogs() {
  const [open, setOpen] = useState(false);
  const [asks, setAsks] = useState(false);
  const [deleted, setDeleted] = useState(0);
  return (
    <>
      <Button onClick={() => setOpen(true)}>Open</Button>
      <Button onClick={() => setAsks(true)}>Delete</Button>
      <output>{deleted}</output>
      <Sheet open={open} onOpenChange={setOpen} title="A sheet">
        <input aria-label="Name" />
      </Sheet>
      <Confirm
        open={asks}
        onOpenChange={setAsks}
        title="Delete it?"
        text="It goes with all that hangs on it."
        act="Delete it"
        onAct={() => setDeleted((n) => n + 1)}
      />
    </>
  );
}

describe("dialogs", () => {
  test("a sheet takes the focus, closes with Escape, and gives the focus back", async () => {
    render(<Dialogs />);
    const opener = screen.getByRole("button", { name: "Open" });
    await userEvent.click(opener);
    expect(screen.getByRole("dialog", { name: "A sheet" })).toBeTruthy();
    expect(document.activeElement).toBe(screen.getByLabelText("Name"));
    await userEvent.keyboard("{Escape}");
    expect(screen.queryByRole("dialog")).toBeNull();
    expect(document.activeElement).toBe(opener);
  });
  test("something is deleted only when that is said", async () => {
    render(<Dialogs />);
    await userEvent.click(screen.getByRole("button", { name: "Delete" }));
    expect(screen.getByRole("alertdialog").textContent).toContain("all that hangs on it");
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    expect(screen.getByRole("status").textContent).toBe("0");
    await userEvent.click(screen.getByRole("button", { name: "Delete" }));
    await userEvent.click(screen.getByRole("button", { name: "Delete it" }));
    expect(screen.getByRole("status").textContent).toBe("1");
  });
  test("what pops up shows beside its trigger and goes with Escape", async () => {
    render(
      <Pop label="More" trigger={<Button>Show</Button>}>
        inside
      </Pop>,
    );
    await userEvent.click(screen.getByRole("button", { name: "Show" }));
    expect(screen.getByRole("dialog", { name: "More" }).textContent).toBe("inside");
    await userEvent.keyboard("{Escape}");
    expect(screen.queryByText("inside")).toBeNull();
  });
});

describe("small parts", () => {
  test("a bar says how far it is", () => {
    render(<Bar share={0.42} label="Sending" />);
    const bar = screen.getByRole("progressbar", { name: "Sending" });
    expect(bar.getAttribute("aria-valuenow")).toBe("42");
  });
  test("what is wrong is said at once", () => {
    render(<Problem>The file is cut off.</Problem>);
    expect(screen.getByRole("alert").textContent).toBe("The file is cut off.");
  });
  test("a label belongs to its field", async () => {
    render(<Labelled label="Name">{(id) => <input id={id} />}</Labelled>);
    await userEvent.type(screen.getByLabelText("Name"), "x");
    expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("x");
  });
  test("a chip can be on, and is pressed once", async () => {
    let pressed = 0;
    render(
      <Chip on onClick={() => pressed++}>
        Otsu
      </Chip>,
    );
    await userEvent.click(screen.getByRole("button", { name: "Otsu" }));
    expect(pressed).toBe(1);
  });
});
