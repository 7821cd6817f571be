/** @jest-environment jsdom */
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { OrbitFile } from "@hindglance/contract/scenes";
import { fakeServer, renderPart } from "../testing/page";
import { OrbitList } from "./OrbitList";

const ID = "0a000000-0000-4000-8000-00000000000";
const orbit = (n: number, more: Partial<OrbitFile> = {}): OrbitFile => ({
  ...{ id: `${ID}${n}`, studyId: `${ID}0`, fileName: `file${n}.EOF`, fileSha256: "0" },
  ...{ mission: "LANTERN-1", kind: "precise", createdAt: "2025-05-20T00:00:00Z" },
  // 2 May 2025, 18:40 and a quarter of an hour later.
  ...{ from: 799_526_400, to: 799_527_300, gaps: [], serves: [], broken: [] },
  ...more,
});

test("files that serve are folded; one with a gap says so, and can be removed", async () => {
  const asked = fakeServer(({ path }) =>
    path.endsWith("/orbits")
      ? [
          orbit(1, { serves: ["LN1 IW, 2 May"] }),
          orbit(2),
          orbit(3, { broken: ["LN1 IW, 14 May"] }),
        ]
      : null,
  );
  renderPart(<OrbitList studyId={`${ID}0`} />);
  expect(await screen.findByText("has a gap at the time of LN1 IW, 14 May: not used")).toBeTruthy();
  expect(screen.getByText("Orbit files · 2").parentElement!.textContent).toContain("for 1 scene");
  expect(screen.getByText("serves LN1 IW, 2 May")).toBeTruthy();
  expect(screen.getByText("serves no scene of this study yet")).toBeTruthy();
  expect(screen.getAllByText("precise, 2 May 2025, 18:40 UTC to 18:55 UTC")).toHaveLength(3);
  await userEvent.click(screen.getByRole("button", { name: "Remove orbit file file3.EOF" }));
  expect(asked.map(({ method, path }) => `${method} ${path}`)).toContain(`DELETE /orbits/${ID}3`);
});
