/** @jest-environment jsdom */
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { keys } from "../api/hooks";
import type { Scene, Upload } from "../api/types";
import { fakeServer, renderPart, testClient } from "../testing/page";
import { aBand, aRun, aScene, aStudy, anImage, anUpload } from "../testing/things";
import { SceneList } from "./SceneList";
import { SendingList } from "./SendingList";
import { StudyAreaSection } from "./StudyAreaSection";
import { UploadCards } from "./UploadCards";
import { useSending } from "./uploads";

const study = aStudy({
  id: "s1",
  name: "Flood",
  compare: { beforeId: "b", afterId: "a", setup: null },
});
const scene = (id: string, name: string, more: Partial<Scene> = {}) =>
  aScene({
    id,
    name,
    acquiredAt: "2025-05-02T18:41:00Z",
    imageId: `image ${id}`,
    info: anImage({
      bands: [aBand({ name: "s", polarisation: "VV" }), aBand({ name: "t", polarisation: "VH" })],
    }),
    ...more,
  });

describe("the list of scenes", () => {
  const scenes = [
    scene("b", "LANTERN1, 2 May"),
    scene("a", "LANTERN1, 14 May"),
    scene("n", "HELIO2, 11 March", { imageId: null, info: null, runId: "r1", acquiredAt: null }),
  ];
  const run = aRun();
  const show = (onPick = (_id: string) => {}) =>
    renderPart(
      <SceneList
        study={study}
        scenes={scenes}
        runs={[run]}
        tags={new Map([["n", "east"]])}
        pickedId="a"
        onPick={onPick}
      />,
    );
  test("says what each holds, on which side it stands, and which is looked at", () => {
    show();
    const [before, after, coming] = screen.getAllByRole("button");
    expect(before!.textContent).toBe("LANTERN1, 2 May2 May 2025 · VV, VH · before");
    expect(after!.textContent).toContain("· after");
    expect(after!.getAttribute("aria-current")).toBe("true");
    expect(coming!.textContent).toBe("HELIO2, 11 March, eastno date · Reading, 50 %");
    expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("50");
  });
  test("picks one", async () => {
    const picked: string[] = [];
    show((id) => picked.push(id));
    await userEvent.click(screen.getByRole("button", { name: /^LANTERN1, 2 May/ }));
    expect(picked).toEqual(["b"]);
  });
});

describe("the study area", () => {
  const show = (more: object, onUndo: (() => void) | null = null) =>
    renderPart(
      <StudyAreaSection
        study={{ ...study, ...more }}
        drawing={false}
        onDraw={() => {}}
        onEdit={() => {}}
        onUndo={onUndo}
      />,
    );
  test("can be drawn even where nothing is there yet", () => {
    show({});
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Draw" }).disabled).toBe(false);
    expect(screen.getByText(/^None yet/)).toBeTruthy();
  });
  test("can be drawn anew, and that can be undone", async () => {
    let undone = 0;
    show({ studyArea: { type: "MultiPolygon", coordinates: [] } }, () => undone++);
    expect(screen.getByRole("button", { name: "Draw anew" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Undo the study area" }));
    expect(undone).toBe(1);
  });
});

describe("files that are no scenes yet", () => {
  const upload = (more: Partial<Upload>) => anUpload({ name: "ground.tif", ...more });
  const show = (uploads: Upload[]) => {
    const asked = fakeServer(({ path }) => (path.endsWith("/uploads") ? uploads : {}));
    const client = testClient();
    client.setQueryData(keys.uploads("s1"), uploads);
    renderPart(<UploadCards studyId="s1" />, client);
    return asked;
  };
  test("one that is being looked at has no detail yet, and breaks nothing", () => {
    show([upload({})]);
    expect(screen.queryByRole("region")).toBeNull();
  });
  test("one that nobody went on with is offered", async () => {
    const detail: Upload["detail"] = { form: "raster", kind: "optical", missing: [] };
    const asked = show([upload({ detail })]);
    expect(screen.getByRole("region", { name: "ground.tif is not imported yet" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Import" }));
    await waitFor(() =>
      expect(asked).toContainEqual(
        expect.objectContaining({ method: "POST", path: "/uploads/u1/take" }),
      ),
    );
  });
  test("one that lacks something is asked about", () => {
    show([upload({ detail: { form: "raster", kind: "elevation", missing: ["vertical"] } })]);
    expect(screen.getByRole("region", { name: "Questions about ground.tif" })).toBeTruthy();
  });
});

describe("files on their way", () => {
  const item = (more: object) => ({
    id: 1,
    studyId: "s1",
    name: "product.zip",
    size: 2_000_000,
    share: 0.25,
    waits: false,
    error: null,
    arrivingId: null,
    abort: new AbortController(),
    ...more,
  });
  test("say how far they are, and can be stopped", async () => {
    const sending = item({});
    useSending.setState({ items: [sending] });
    renderPart(<SendingList sending={[sending]} />);
    expect(screen.getByText(/25 % of 2/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Stop sending product.zip" }));
    expect(sending.abort.signal.aborted).toBe(true);
  });
  test("that wait for a connection say that they go on by themselves", () => {
    const sending = item({ waits: true });
    renderPart(<SendingList sending={[sending]} />);
    expect(screen.getByRole("status").textContent).toContain("goes on by itself");
    expect(screen.getByText(/25 % of 2/)).toBeTruthy();
  });
  test("say what went wrong until that is dismissed", async () => {
    const failed = item({ error: "product.zip is cut off." });
    useSending.setState({ items: [failed] });
    renderPart(<SendingList sending={[failed]} />);
    expect(screen.getByRole("alert").textContent).toContain("cut off");
    await userEvent.click(screen.getByRole("button", { name: "Dismiss" }));
    expect(useSending.getState().items).toEqual([]);
  });
});
