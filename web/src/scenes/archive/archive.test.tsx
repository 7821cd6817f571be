/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ArchiveAnswer, Found } from "@hindglance/contract/archive";
import { keys } from "../../api/hooks";
import { type Asked, Refusal, fakeServer, renderPart, testClient } from "../../testing/page";
import { aRun, anItem } from "../../testing/things";
import { Results } from "./Results";
import { SearchForm } from "./SearchForm";
import { totalBytes } from "./archive";
import { useArchiveSearch } from "./useArchiveSearch";

const answer = (items: Found[], more: Partial<ArchiveAnswer> = {}): ArchiveAnswer => ({
  items,
  next: null,
  leftOut: 0,
  within: "study area",
  ...more,
});
const STATE = {
  set: true,
  problem: null,
  title: "Archive",
  host: "localhost",
  kinds: ["radar", "elevation"],
};

function Searching() {
  const search = useArchiveSearch("s1");
  return (
    <>
      <button onClick={search.begin}>Open</button>
      <SearchForm search={search} />
      <Results studyId="s1" search={search} />
    </>
  );
}

async function show(search: (asked: Asked) => unknown, runs = [] as ReturnType<typeof aRun>[]) {
  const client = testClient();
  const asked = fakeServer((one) => {
    if (one.path === "/archive") {
      return STATE;
    }
    if (one.path.startsWith("/runs")) {
      return runs;
    }
    return one.path.endsWith("/search") ? search(one) : { runId: "r1" };
  });
  client.setQueryData(keys.runs, runs);
  renderPart(<Searching />, client);
  await userEvent.click(screen.getByRole("button", { name: "Open" }));
  return asked;
}
const searches = (asked: Asked[]) =>
  asked.filter(({ path }) => path.endsWith("/search")).map(({ body }) => body);
const says = (body: unknown, word: string) => JSON.stringify(body).includes(`"${word}"`);
const act = () => screen.getByRole<HTMLButtonElement>("button", { name: /etch|Tick/ });

test("items are counted, and bytes that nobody knows are none", () => {
  expect(totalBytes([anItem("a"), anItem("b", { bytes: null }), anItem("c")])).toBe(1e7);
});

test("products are ticked one by one, and those that are ticked are fetched", async () => {
  const asked = await show(() => answer([anItem("a"), anItem("b", { have: true }), anItem("c")]));
  expect(await screen.findByText("3 results, on the study area")).toBeTruthy();
  expect(act().disabled).toBe(true);
  expect(screen.queryByRole("checkbox", { name: "Fetch Product b" })).toBeNull();
  await userEvent.click(screen.getByRole("checkbox", { name: "Fetch Product a" }));
  await userEvent.click(screen.getByRole("checkbox", { name: "Fetch Product c" }));
  expect(act().textContent).toMatch(/^Fetch 2 products, 10\.0\sMB$/);
  await userEvent.click(screen.getByRole("checkbox", { name: "Fetch Product a" }));
  await userEvent.click(act());
  await waitFor(() =>
    expect(asked).toContainEqual(
      expect.objectContaining({
        method: "POST",
        body: { kind: "radar", items: [{ collection: "grd", id: "c" }] },
      }),
    ),
  );
  await waitFor(() => expect(act().textContent).toBe("Tick what to fetch"));
});

test("more is asked for where it ended, and added to what is there", async () => {
  const asked = await show(({ body }) =>
    says(body, "page 2")
      ? answer([anItem("b")])
      : answer([anItem("a")], { next: "page 2", within: null }),
  );
  expect(await screen.findByText("1 result so far")).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Show more" }));
  expect(await screen.findByText("2 results")).toBeTruthy();
  expect(searches(asked)).toMatchObject([{ next: null }, { next: "page 2" }]);
});

test("choices are asked at once, dates when the form is sent", async () => {
  const asked = await show(() => answer([]));
  expect(await screen.findByText(/Nothing fits/)).toBeTruthy();
  await userEvent.type(screen.getByLabelText("From"), "2025-05-01");
  expect(searches(asked)).toHaveLength(1);
  await userEvent.click(screen.getByRole("button", { name: "Search" }));
  await waitFor(() => expect(searches(asked)).toHaveLength(2));
  await userEvent.click(screen.getByRole("checkbox", { name: "Anywhere" }));
  await waitFor(() => expect(searches(asked)).toHaveLength(3));
  expect(searches(asked)[2]).toMatchObject({ from: "2025-05-01", to: null, anywhere: true });
});

test("of elevation all tiles are fetched that the study lacks", async () => {
  await show(({ body }) =>
    says(body, "elevation")
      ? answer([
          anItem("e1", { kind: "elevation" }),
          anItem("e2", { kind: "elevation", have: true }),
          anItem("e3", { kind: "elevation" }),
        ])
      : answer([]),
  );
  await screen.findByText(/Nothing fits/);
  await userEvent.click(screen.getByRole("radio", { name: "Elevation" }));
  expect(await screen.findByText("Fetch elevation for this study, 2 tiles, 10.0 MB")).toBeTruthy();
});

test("what the archive answers wrong is said, and how much did not fit", async () => {
  await show(() => answer([anItem("a")], { leftOut: 2 }));
  expect(await screen.findByText(/2 answers of the archive did not fit/)).toBeTruthy();
});

test("an archive that does not answer is said", async () => {
  await show(() => new Refusal(502, { code: "archive", message: "The archive does not answer" }));
  expect(await screen.findByText("The archive does not answer.")).toBeTruthy();
  expect(act().disabled).toBe(true);
});

test("while something is fetched nothing else is begun", async () => {
  const run = aRun({ kind: "fetchItems", studyId: "s1" });
  await show(() => answer([anItem("a")]), [run]);
  await userEvent.click(await screen.findByRole("checkbox", { name: "Fetch Product a" }));
  expect(act().disabled).toBe(true);
});
