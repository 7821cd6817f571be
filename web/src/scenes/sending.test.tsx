/** @jest-environment jsdom */
import { act, waitFor } from "@testing-library/react";
import { fakeServer, testClient } from "../testing/page";
import { FakeSending } from "../testing/fakeSending";
import { aScene, anUpload } from "../testing/things";
import { useUi } from "../state/ui";
import { partners } from "./Join";
import { useSending } from "./uploads";

const client = testClient();
const fileOf = (name: string, size = 10, path = "") => {
  const file = new File([new Uint8Array(size)], name);
  Object.defineProperty(file, "webkitRelativePath", { value: path });
  return file;
};
const queue = () => useSending.getState();
const add = (...files: File[]) => act(() => queue().add(client, "s1", files));
const lines = () => queue().items.map(({ name, share, error }) => ({ name, share, error }));

beforeEach(() => {
  FakeSending.install();
  fakeServer(() => ({ scene: null }));
  useSending.setState({ items: [] });
});

describe("a file on its way", () => {
  test("goes to its study by name, tells how far it is, and leaves the queue when it is there", async () => {
    add(fileOf("before & after.tif"));
    const [sending] = await FakeSending.begun(1);
    expect(sending!.method).toBe("POST");
    expect(sending!.address).toBe("/api/studies/s1/uploads?name=before+%26+after.tif&take=true");
    act(() => sending!.goOn(0.25));
    expect(lines()).toEqual([{ name: "before & after.tif", share: 0.25, error: null }]);
    act(() => sending!.end(201, anUpload()));
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("waits where two are on their way already; none is lost", async () => {
    add(fileOf("a.tif"), fileOf("b.tif"), fileOf("c.tif"));
    const [first, second] = await FakeSending.begun(2);
    expect(FakeSending.all).toHaveLength(2);
    expect(lines().map(({ name }) => name)).toEqual(["a.tif", "b.tif", "c.tif"]);
    act(() => second!.end(201, anUpload()));
    const third = (await FakeSending.begun(3))[2]!;
    expect(third.address).toContain("c.tif");
    act(() => {
      first!.end(201, anUpload());
      third.end(201, anUpload());
    });
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("that the server refuses stays with the reason and the remedy, until it is dismissed", async () => {
    add(fileOf("map.tif"));
    const [sending] = await FakeSending.begun(1);
    act(() =>
      sending!.end(422, {
        error: { code: "truncated", message: "map.tif is cut off", hint: "Copy it again." },
      }),
    );
    await waitFor(() => expect(lines()[0]!.error).toMatch(/map\.tif is cut off.*Copy it again/));
    act(() => queue().dismiss(queue().items[0]!.id));
    expect(lines()).toEqual([]);
  });

  test("whose connection breaks says so by its name", async () => {
    add(fileOf("map.tif"));
    const [sending] = await FakeSending.begun(1);
    act(() => sending!.breakOff());
    await waitFor(() =>
      expect(lines()[0]!.error).toMatch(/map\.tif could not be sent: the connection broke/),
    );
  });

  test("that is cancelled is gone without a word, and the next one has its turn", async () => {
    add(fileOf("a.tif"), fileOf("b.tif"), fileOf("c.tif"));
    const [first, second] = await FakeSending.begun(2);
    act(() => queue().cancel(queue().items[0]!.id));
    const third = (await FakeSending.begun(3))[2]!;
    expect(first!.aborted).toBe(true);
    expect(lines().map(({ name, error }) => [name, error])).toEqual([
      ["b.tif", null],
      ["c.tif", null],
    ]);
    act(() => {
      second!.end(201, anUpload());
      third.end(201, anUpload());
    });
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("that is cancelled while it waits never goes", async () => {
    add(fileOf("a.tif"), fileOf("b.tif"), fileOf("c.tif"));
    const [first, second] = await FakeSending.begun(2);
    act(() => queue().cancel(queue().items[2]!.id));
    act(() => {
      first!.end(201, anUpload());
      second!.end(201, anUpload());
    });
    await waitFor(() => expect(lines()).toEqual([]));
    expect(FakeSending.all).toHaveLength(2);
  });

  test.each(["report.pdf", "scene", "a.hdf"])(
    "of a kind that cannot be read, as %s, is not sent; what can be is said",
    async (name) => {
      add(fileOf(name));
      await waitFor(() => expect(lines()[0]!.error).toContain(`${name}: files of this kind`));
      expect(lines()[0]!.error).toContain("GeoJSON (.geojson) for zones");
      expect(FakeSending.all).toHaveLength(0);
    },
  );

  test.each([
    [["LANTERN1, 2 May"], "The orbit file serves LANTERN1, 2 May."],
    [[], "o.EOF is kept; it serves no scene of this study yet."],
  ])("of an orbit says which scenes it serves", async (scenes, words) => {
    const say = jest.spyOn(useUi.getState(), "say");
    add(fileOf("o.EOF"));
    const [sending] = await FakeSending.begun(1);
    act(() => sending!.end(201, { ...anUpload(), detail: { form: "orbit", scenes } }));
    await waitFor(() => expect(say).toHaveBeenCalledWith(words));
    say.mockRestore();
  });
});

describe("files that belong together", () => {
  const folder = () => [
    fileOf("H1_B4.TIF", 300, "scene/H1_B4.TIF"),
    fileOf("H1_MTL.txt", 100, "scene/H1_MTL.txt"),
  ];

  test("are one line, named by their metadata, and gathered once all are there", async () => {
    const asked = fakeServer(() => anUpload());
    act(() => queue().addFolder(client, "s1", folder()));
    expect(queue().items[0]).toMatchObject({ name: "H1", size: 400 });
    const [first] = await FakeSending.begun(1);
    const query = new URLSearchParams(first!.address.split("?")[1]);
    expect(query.get("path")).toBe("scene/H1_B4.TIF");
    act(() => first!.goOn(0.5));
    expect(lines()[0]!.share).toBeCloseTo(150 / 400, 6);
    act(() => first!.end(201, anUpload()));
    const second = (await FakeSending.begun(2))[1]!;
    act(() => second.goOn(0));
    expect(lines()[0]!.share).toBeCloseTo(300 / 400, 6);
    expect(asked).toEqual([]);
    act(() => second.end(201, anUpload()));
    await waitFor(() => expect(lines()).toEqual([]));
    expect(asked.map(({ method, path }) => `${method} ${path}`)).toEqual([
      `POST /studies/s1/folders/${query.get("folder")}?take=true`,
    ]);
  });

  test("without metadata are called by their folder", async () => {
    act(() => queue().addFolder(client, "s1", [fileOf("a.tif", 5, "loose/a.tif")]));
    expect(queue().items[0]!.name).toBe("loose");
    const [sending] = await FakeSending.begun(1);
    act(() => sending!.breakOff());
    await waitFor(() => expect(lines()[0]!.error).not.toBeNull());
  });
});

describe("scenes that may be joined", () => {
  const scene = (id: string, more: Parameters<typeof aScene>[0] = {}) =>
    aScene({ id, imageId: id, acquiredAt: "2025-05-02T18:41:00Z", ...more });

  test.each<[string, Parameters<typeof aScene>[0], boolean]>([
    ["of one pass", { acquiredAt: "2025-05-02T18:41:25Z" }, true],
    ["a day later", { acquiredAt: "2025-05-03T18:41:00Z" }, false],
    ["of another kind", { kind: "optical" }, false],
    ["not stored yet", { imageId: null }, false],
    ["without a date", { acquiredAt: null }, false],
    ["of another orbit", { detail: { absoluteOrbit: 8 } }, false],
    ["of the same orbit", { detail: { absoluteOrbit: 7 } }, true],
  ])("%s: %#", (_which, more, yes) => {
    const own = scene("own", { detail: { absoluteOrbit: 7 } });
    const found = partners(own, [own, scene("other", more)]).map(({ id }) => id);
    expect(found).toEqual(yes ? ["other"] : []);
  });

  test("two without a date may be", () => {
    const [one, two] = [scene("1", { acquiredAt: null }), scene("2", { acquiredAt: null })];
    expect(partners(one, [one, two])).toEqual([two]);
  });
});
