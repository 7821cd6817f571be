/** @jest-environment jsdom */
import { act, waitFor } from "@testing-library/react";
import type { ArrivingFile } from "@hindglance/contract/upload";
import { digestOf } from "../api/digest";
import { type Asked, Refusal, fakeServer, testClient } from "../testing/page";
import { FakeSending } from "../testing/fakeSending";
import { aScene, anArriving, anUpload } from "../testing/things";
import { useUi } from "../state/ui";
import { partners } from "./Join";
import { useSending } from "./uploads";

// The checksum is made by a worker, which has a test of its own.
jest.mock("../api/digest");
const DIGEST = "0fb1".repeat(16);

const client = testClient();
const fileOf = (name: string, size = 10, path = "") => {
  const file = new File([new Uint8Array(size)], name, { lastModified: 77 });
  Object.defineProperty(file, "webkitRelativePath", { value: path });
  return file;
};
const queue = () => useSending.getState();
const add = (...files: File[]) => act(() => queue().add(client, "s1", files));
const lines = () => queue().items.map(({ name, share, error }) => ({ name, share, error }));
const taken = (more: object = {}) => ({ ...anUpload(), imported: true, ...more });

/** What the server says that has begun to arrive, and that it knows of the bytes. */
let arriving: ArrivingFile[];
let known: string | null;
let asked: Asked[];
beforeEach(() => {
  jest.mocked(digestOf).mockReset().mockResolvedValue(DIGEST);
  arriving = [];
  known = null;
  FakeSending.install();
  asked = fakeServer(({ path }) => {
    if (path.endsWith("/arriving")) {
      return arriving;
    }
    return path.includes("/known") ? { said: known } : {};
  });
  useSending.setState({ items: [] });
});

// What a test leaves on its way would have the turn of the next one.
afterEach(async () => {
  queue().items.forEach(({ id }) => queue().cancel(id));
  await act(() => new Promise((ok) => setTimeout(ok, 5)));
});

describe("a file on its way", () => {
  test("goes to its study by name, tells how far it is, and leaves the queue when it is there", async () => {
    add(fileOf("before & after.tif"));
    const [piece] = await FakeSending.begun(1);
    expect(piece!.file.said).toEqual({
      study: "s1",
      filename: "before & after.tif",
      modified: "77",
    });
    expect(piece!.address).toBe("http://localhost/api/sending/u1");
    act(() => piece!.goOn(0.25));
    expect(lines()).toEqual([{ name: "before & after.tif", share: 0.25, error: null }]);
    act(() => piece!.end(taken()));
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("comes in pieces, of which the last one carries the checksum of all", async () => {
    add(fileOf("large.tif", 20 << 20));
    for (const [k, size] of [8 << 20, 8 << 20, 4 << 20].entries()) {
      const piece = (await FakeSending.begun(k + 1))[k]!;
      expect(piece.bytes).toBe(size);
      const base64 = Buffer.from(DIGEST, "hex").toString("base64");
      expect(piece.headers["repr-digest"]).toBe(k === 2 ? `sha-256=:${base64}:` : undefined);
      act(() => piece.end(k === 2 ? taken() : null));
    }
    await waitFor(() => expect(lines()).toEqual([]));
    expect(FakeSending.all).toHaveLength(3);
  });

  test("waits where two are on their way already; none is lost", async () => {
    add(fileOf("a.tif"), fileOf("b.tif"), fileOf("c.tif"));
    const [first, second] = await FakeSending.begun(2);
    expect(FakeSending.all).toHaveLength(2);
    expect(lines().map(({ name }) => name)).toEqual(["a.tif", "b.tif", "c.tif"]);
    act(() => second!.end(taken()));
    const third = (await FakeSending.begun(3))[2]!;
    expect(third.file.said.filename).toBe("c.tif");
    act(() => {
      first!.end(taken());
      third.end(taken());
    });
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("that the server refuses at once stays with the reason and the remedy, until it is dismissed", async () => {
    FakeSending.refusal = {
      status: 422,
      body: { error: { code: "empty", message: "map.tif is empty", hint: "Copy it again." } },
    };
    add(fileOf("map.tif"));
    await waitFor(() => expect(lines()[0]!.error).toBe("map.tif is empty. Copy it again."));
    act(() => queue().dismiss(queue().items[0]!.id));
    expect(lines()).toEqual([]);
  });

  test("that found no room is sent again from where it stopped", async () => {
    add(fileOf("map.tif", 1000));
    const [piece] = await FakeSending.begun(1);
    piece!.file.offset = 600;
    arriving = [anArriving({ id: "u1", name: "map.tif", length: 1000, size: 600 })];
    act(() =>
      piece!.refuse(507, {
        error: { code: "diskFull", message: "The disk of the database is full" },
      }),
    );
    await waitFor(() => expect(lines()[0]!.error).toMatch(/disk of the database is full/));
    act(() => queue().retry(client, queue().items[0]!.id));
    const again = (await FakeSending.begun(2))[1]!;
    expect(again.headers["upload-offset"]).toBe("600");
    act(() => again.end(taken()));
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("whose connection breaks goes on from the last byte when it is back", async () => {
    add(fileOf("map.tif", 1000));
    const [piece] = await FakeSending.begun(1);
    FakeSending.isAway = true;
    act(() => piece!.breakOff(0.3));
    await waitFor(() => expect(queue().items[0]!.waits).toBe(true));
    expect(lines()[0]!.error).toBeNull();
    FakeSending.isAway = false;
    act(() => void dispatchEvent(new Event("online")));
    const rest = (await FakeSending.begun(2))[1]!;
    expect(rest.headers["upload-offset"]).toBe("300");
    expect(rest.bytes).toBe(700);
    act(() => rest.goOn(0.5));
    expect(queue().items[0]!.waits).toBe(false);
    expect(lines()[0]!.share).toBeCloseTo(0.65, 6);
    act(() => rest.end(taken()));
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("whose last answer is lost is there all the same", async () => {
    add(fileOf("map.tif", 1000));
    const [piece] = await FakeSending.begun(1);
    act(() => piece!.breakOff(1));
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("that was taken away on the disk says so", async () => {
    jest.mocked(digestOf).mockRejectedValue(new Error("NotReadableError"));
    add(fileOf("map.tif"));
    await waitFor(() => expect(lines()[0]!.error).toMatch(/map\.tif cannot be read any more/));
    expect(FakeSending.all).toHaveLength(0);
  });

  test("that is in the study already is not sent to its end", async () => {
    known = 'twin.tif is in this study already, as "before".';
    add(fileOf("twin.tif", 20 << 20));
    await waitFor(() => expect(lines()[0]!.error).toBe(known));
    expect(asked.map(({ path }) => path)).toContain(
      `/studies/s1/known?sha256=${DIGEST}&name=twin.tif`,
    );
    await waitFor(() => expect(FakeSending.forgotten).toEqual(["u1"]));
    expect(FakeSending.all.filter(({ headers }) => headers["repr-digest"])).toEqual([]);
  });

  test("that is cancelled is gone without a word, there too, and the next one has its turn", async () => {
    add(fileOf("a.tif"), fileOf("b.tif"), fileOf("c.tif"));
    const [first, second] = await FakeSending.begun(2);
    act(() => queue().cancel(queue().items[0]!.id));
    const third = (await FakeSending.begun(3))[2]!;
    expect(first!.aborted).toBe(true);
    expect(FakeSending.forgotten).toEqual([first!.id]);
    expect(lines().map(({ name, error }) => [name, error])).toEqual([
      ["b.tif", null],
      ["c.tif", null],
    ]);
    act(() => {
      second!.end(taken());
      third.end(taken());
    });
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("that is cancelled while it waits never goes", async () => {
    add(fileOf("a.tif"), fileOf("b.tif"), fileOf("c.tif"));
    const [first, second] = await FakeSending.begun(2);
    act(() => queue().cancel(queue().items[2]!.id));
    act(() => {
      first!.end(taken());
      second!.end(taken());
    });
    await waitFor(() => expect(lines()).toEqual([]));
    expect(FakeSending.all).toHaveLength(2);
  });

  test.each(["report.pdf", "scene", "a.hdf"])(
    "of a kind that cannot be read, as %s, is not sent; what can be is said",
    async (name) => {
      add(fileOf(name));
      await waitFor(() => expect(lines()[0]!.error).toContain(`${name}: files of this kind`));
      expect(lines()[0]!.error).toContain(".gpkg, .fgb, .csv) can.");
      expect(FakeSending.all).toHaveLength(0);
    },
  );

  test.each([
    [["LANTERN1, 2 May"], "The orbit file serves LANTERN1, 2 May."],
    [[], "o.EOF is kept; it serves no scene of this study yet."],
  ])("of an orbit says which scenes it serves", async (scenes, words) => {
    const say = jest.spyOn(useUi.getState(), "say");
    add(fileOf("o.EOF"));
    const [piece] = await FakeSending.begun(1);
    act(() => piece!.end(taken({ detail: { form: "orbit", scenes } })));
    await waitFor(() => expect(say).toHaveBeenCalledWith(words));
    say.mockRestore();
  });

  test("keeps the page from being left without a question, until it is there", async () => {
    const leave = () => {
      const event = new Event("beforeunload", { cancelable: true });
      dispatchEvent(event);
      return event.defaultPrevented;
    };
    expect(leave()).toBe(false);
    add(fileOf("a.tif"));
    const [piece] = await FakeSending.begun(1);
    expect(leave()).toBe(true);
    act(() => piece!.end(taken()));
    await waitFor(() => expect(lines()).toEqual([]));
    expect(leave()).toBe(false);
  });
});

describe("a file that has begun to arrive", () => {
  const begun = { id: "u9", name: "map.tif", length: 1000, size: 400 };
  const part = { id: "u9", path: "map.tif", length: 1000, size: 400, modified: 77 };
  const known9 = () => FakeSending.files.set("u9", { length: 1000, offset: 400, said: {} });

  test("goes on where it stopped, whichever page sent the beginning", async () => {
    known9();
    arriving = [anArriving({ ...begun, parts: [part] })];
    add(fileOf("map.tif", 1000));
    const [piece] = await FakeSending.begun(1);
    expect(piece!.id).toBe("u9");
    expect(piece!.headers["upload-offset"]).toBe("400");
    expect(queue().items[0]!.arrivingId).toBe("u9");
    act(() => piece!.end(taken()));
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test.each([
    ["another length", { length: 999 }],
    ["another time of change", { modified: 78 }],
  ])("is left alone by a file of its name with %s", async (_what, other) => {
    known9();
    arriving = [anArriving({ ...begun, parts: [{ ...part, ...other }] })];
    add(fileOf("map.tif", 1000));
    const [piece] = await FakeSending.begun(1);
    expect(piece!.id).not.toBe("u9");
    expect(piece!.headers["upload-offset"]).toBe("0");
  });

  test("is sent by one line only, also where the same file is dropped twice", async () => {
    known9();
    arriving = [anArriving({ ...begun, parts: [part] })];
    add(fileOf("map.tif", 1000));
    await FakeSending.begun(1);
    add(fileOf("map.tif", 1000));
    const pieces = await FakeSending.begun(2);
    expect(new Set(pieces.map(({ id }) => id)).size).toBe(2);
  });

  test("cannot be asked after while the server is away: it begins anew", async () => {
    globalThis.fetch = () => Promise.reject(new TypeError("Failed to fetch"));
    add(fileOf("map.tif", 1000));
    expect((await FakeSending.begun(1))[0]!.headers["upload-offset"]).toBe("0");
  });

  test("of a study that is gone is refused with the server's words", async () => {
    fakeServer(() => new Refusal(404, { code: "notFound", message: "There is no such study" }));
    add(fileOf("map.tif", 1000));
    await waitFor(() => expect(lines()[0]!.error).toBe("There is no such study."));
  });
});

describe("files that belong together", () => {
  const folder = () => [
    fileOf("H1_B4.TIF", 300, "scene/H1_B4.TIF"),
    fileOf("H1_MTL.txt", 100, "scene/H1_MTL.txt"),
  ];
  const send = () => act(() => queue().addFolder(client, "s1", folder()));

  test("are one line, named by their metadata, and say what they are part of", async () => {
    send();
    expect(queue().items[0]).toMatchObject({ name: "H1", size: 400 });
    const [first] = await FakeSending.begun(1);
    const { said } = first!.file;
    expect(said).toMatchObject({
      path: "scene/H1_B4.TIF",
      foldername: "H1",
      files: "2",
      bytes: "400",
    });
    expect(queue().items[0]!.arrivingId).toBe(said.folder);
    act(() => first!.goOn(0.5));
    expect(lines()[0]!.share).toBeCloseTo(150 / 400, 6);
    act(() => first!.end(taken()));
    const second = (await FakeSending.begun(2))[1]!;
    expect(second.file.said.folder).toBe(said.folder);
    act(() => second.goOn(0));
    expect(lines()[0]!.share).toBeCloseTo(300 / 400, 6);
    act(() => second.end(taken()));
    await waitFor(() => expect(lines()).toEqual([]));
  });

  test("go on with what is missing: a whole file is not sent again", async () => {
    FakeSending.files.set("p2", { length: 100, offset: 40, said: {} });
    const part = (id: string, path: string, length: number, size: number) => ({
      ...{ id, path, length, size, modified: 77 },
    });
    arriving = [
      anArriving({
        ...{ id: "f1", folder: true, name: "H1", files: 2, length: 400, size: 340 },
        parts: [part("p1", "scene/H1_B4.TIF", 300, 300), part("p2", "scene/H1_MTL.txt", 100, 40)],
      }),
    ];
    send();
    const [rest] = await FakeSending.begun(1);
    expect(rest!.id).toBe("p2");
    expect(rest!.headers["upload-offset"]).toBe("40");
    act(() => rest!.end(taken()));
    await waitFor(() => expect(lines()).toEqual([]));
    expect(FakeSending.all).toHaveLength(1);
  });

  test("that are cancelled are forgotten together", async () => {
    send();
    await FakeSending.begun(1);
    const { id, arrivingId } = queue().items[0]!;
    act(() => queue().cancel(id));
    await waitFor(() => expect(lines()).toEqual([]));
    expect(asked.map(({ method, path }) => `${method} ${path}`)).toContain(
      `DELETE /studies/s1/arriving/${arrivingId}`,
    );
  });

  test("without metadata are called by their folder", async () => {
    act(() => queue().addFolder(client, "s1", [fileOf("a.tif", 5, "loose/a.tif")]));
    expect(queue().items[0]!.name).toBe("loose");
    await FakeSending.begun(1);
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
