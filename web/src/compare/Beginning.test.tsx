/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { answersTo, fakeServer, renderPage } from "../testing/page";
import { aBoard } from "../testing/preparing";
import { aScene, aSensor, aStudy, anImage } from "../testing/things";
import { Beginning } from "./Beginning";

const study = aStudy({ id: "0a000000-0000-4000-8000-0000000000aa" });
const datesWith = (more: Parameters<typeof anImage>[0]) =>
  ["a", "b"].map((id) =>
    aScene({
      ...{ id, imageId: `image ${id}`, info: anImage(more) },
      acquiredAt: "2025-05-02T18:41:00Z",
    }),
  );

/** The page over scenes of a study, and a board on which nothing was run. */
function show(scenes: ReturnType<typeof datesWith>): void {
  fakeServer(
    answersTo({
      "/scenes": scenes,
      "/change-maps": [],
      "/prepare": aBoard(),
      [`/studies/${study.id}`]: study,
    }),
  );
  renderPage(<Beginning studyId={study.id} isLooking />);
}

test("prepared dates are looked at, and nothing else is asked for", async () => {
  show(datesWith({}));
  expect(await screen.findByText(/Looking at both dates to begin with/)).toBeTruthy();
  await waitFor(() => expect(screen.queryByRole("button")).toBeNull());
});

test("what is not prepared is said, with the way to it", async () => {
  show(datesWith({ sensor: aSensor() }));
  expect(await screen.findByText(/^0 of 2 dates are prepared\. .* can take a minute/)).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Prepare them first" }));
  expect(screen.getByLabelText("address").textContent).toBe(`/studies/${study.id}/prepare`);
});
