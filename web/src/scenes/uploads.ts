import type { RequestOf } from "@hindglance/contract/route";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { type ArrivingFile, uploadRoutes } from "@hindglance/contract/upload";
import { call } from "../api/call";
import { create } from "zustand";
import type { QueryClient } from "@tanstack/react-query";
import { ApiError, sayError } from "../api/client";
import { sendFile } from "../api/sendFile";
import { uuid } from "../lib/uuid";
import { useUi } from "../state/ui";
import { pathOf } from "./files";
import { lookAgain } from "./lookAgain";

export interface Sending {
  id: number;
  studyId: string;
  name: string;
  size: number;
  share: number;
  /** Whether it waits for a connection, and goes on by itself. */
  waits: boolean;
  error: string | null;
  /** What it is called among the things that arrive: the file's or the folder's id. */
  arrivingId: string | null;
  abort: AbortController;
}

interface Queue {
  items: Sending[];
  add(queryClient: QueryClient, studyId: string, files: File[]): void;
  addFolder(queryClient: QueryClient, studyId: string, files: File[]): void;
  dismiss(id: number): void;
  /** Sends again what went wrong, from where it stopped. */
  retry(queryClient: QueryClient, id: number): void;
  cancel(id: number): void;
}

let next = 1;
let active = 0;
const waiting: (() => void)[] = [];
/** Two files at a time: more would only share the same line. */
const turn = async (): Promise<() => void> => {
  if (active >= 2) {
    await new Promise<void>((ok) => waiting.push(ok));
  }
  active++;
  return () => {
    active--;
    waiting.shift()?.();
  };
};

/** What a person says of a file that does not say it itself. */
export type Said = Omit<RequestOf<typeof sceneRoutes.create>["body"], "uploadId">;

/** Imports a file that waited for something to be said. @throws ApiError */
export const importScene = (studyId: string, uploadId: string, said: Said): Promise<unknown> =>
  call(sceneRoutes.create, { params: { id: studyId }, body: { uploadId, ...said } });

/** Who hears how the work of a line goes. */
interface Hears {
  /** So much is there, 0 to 1. */
  share(value: number): void;
  waits(isWaiting: boolean): void;
  begun(arrivingId: string): void;
}

/** Sends what one line of the queue stands for. */
type Work = (hears: Hears, signal: AbortSignal) => Promise<void>;

/** A line of the queue before it is in it. */
interface Line {
  studyId: string;
  name: string;
  size: number;
  work: Work;
}

const READABLE =
  /\.(tiff?|jp2|j2k|png|jpe?g|msk|zip|tar|tgz|gz|eof|geojson|json|kml|kmz|gpkg|fgb|csv|tsv|shp|dbf)$/i;

/** What an orbit file that was taken does for a study. */
function orbitSaid(file: string, scenes: readonly string[] | undefined): string {
  return scenes?.length
    ? `The orbit file serves ${scenes.join(", ")}.`
    : `${file} is kept; it serves no scene of this study yet.`;
}

/** What of a study has begun to arrive; nothing is known of it while the server is away. */
const arrivingNow = (studyId: string, signal: AbortSignal): Promise<ArrivingFile[]> =>
  call(uploadRoutes.arriving, { params: { id: studyId } }, signal).catch((error: unknown) => {
    signal.throwIfAborted();
    if (error instanceof ApiError && error.status === 0) {
      return [];
    }
    throw error;
  });

/** Whether a part that has begun to arrive is of this file. */
const isOf = (file: File, { length, modified }: ArrivingFile["parts"][number]): boolean =>
  length === file.size && modified === file.lastModified;

/** Ids of what this page sends now: another file of the same name does not go on with it. */
const mine = (): (string | null)[] =>
  useSending.getState().items.map(({ arrivingId, error }) => (error ? null : arrivingId));

/** A file by itself. */
function fileLine(studyId: string, file: File): Line {
  const work: Work = async (hears, signal) => {
    if (!READABLE.test(file.name)) {
      throw new Error(
        `${file.name}: files of this kind cannot be read here. Radar products and granules (.zip, .tar or folder), orbit files (.EOF), optical bands (.TIF) together with their metadata text (_MTL), images (.tif, .jp2, .png, .jpg) with what lies beside them (world file, .prj, .aux.xml, mask), and features (.geojson, .shp with its parts, .kml, .kmz, .gpkg, .fgb, .csv) can.`,
      );
    }
    const begun = (await arrivingNow(studyId, signal)).find(
      (thing) =>
        thing.state === "coming" &&
        !thing.folder &&
        thing.name === file.name &&
        isOf(file, thing.parts[0]!) &&
        !mine().includes(thing.id),
    );
    const what = { studyId, file, place: null, uploadId: begun?.id ?? null };
    const taken = await sendFile(what, hears, signal);
    if (taken?.detail?.form === "orbit") {
      useUi.getState().say(orbitSaid(file.name, taken.detail.scenes));
    }
  };
  return { studyId, name: file.name, size: file.size, work };
}

/** What files are called together: by their metadata text, their folder, or the largest of them. */
function folderName(files: readonly File[]): string {
  const metadata = files.find((file) => /_MTL\.\w+$/i.test(file.name))?.name;
  const [largest] = [...files].sort((one, other) => other.size - one.size);
  const name = metadata ?? pathOf(largest!).split("/")[0]!;
  return name.replace(/_MTL\.\w+$/i, "");
}

/** What has begun to arrive of a folder, to go on with; null where it is sent for the first time. */
const begunOf = (
  arriving: readonly ArrivingFile[],
  name: string,
  files: readonly File[],
): ArrivingFile | null =>
  arriving.find(
    (thing) =>
      thing.state === "coming" &&
      thing.folder &&
      thing.name === name &&
      thing.files === files.length &&
      !mine().includes(thing.id) &&
      thing.parts.every((part) =>
        files.some((file) => pathOf(file) === part.path && isOf(file, part)),
      ),
  ) ?? null;

/** Files that belong together. The server looks at them once the last one is there. */
function folderLine(studyId: string, files: File[]): Line {
  const name = folderName(files);
  const size = files.reduce((sum, file) => sum + file.size, 0);
  const work: Work = async (hears, signal) => {
    const begun = begunOf(await arrivingNow(studyId, signal), name, files);
    const folder = begun?.id ?? uuid();
    hears.begun(folder);
    const forget = () =>
      void call(uploadRoutes.forget, { params: { id: studyId, arrivingId: folder } }).catch(
        () => {},
      );
    signal.addEventListener("abort", forget, { once: true });
    let sent = 0;
    for (const file of files) {
      const part = begun?.parts.find(({ path }) => path === pathOf(file));
      const before = sent;
      if (!part || part.size < file.size) {
        const place = {
          folder,
          folderName: name,
          files: files.length,
          bytes: size,
          path: pathOf(file),
        };
        const what = { studyId, file, place, uploadId: part?.id ?? null };
        const share = (value: number) =>
          hears.share((before + value * file.size) / Math.max(1, size));
        await sendFile(what, { share, waits: hears.waits, begun: () => {} }, signal);
      }
      sent += file.size;
    }
  };
  return { studyId, name, size, work };
}

/** What is sent by lines that went wrong, to be sent again. */
const lines = new Map<number, Line>();

/** Files on their way to the server; they go on while other stages are open. */
export const useSending = create<Queue>((set, get) => {
  const change = (id: number, part: Partial<Sending>) =>
    set(({ items }) => ({
      items: items.map((item) => (item.id === id ? { ...item, ...part } : item)),
    }));
  const remove = (id: number) => {
    lines.delete(id);
    set(({ items }) => ({ items: items.filter((item) => item.id !== id) }));
  };
  /** Does the work of a line when it is its turn; what the work throws is said on that line. */
  const send = async (queryClient: QueryClient, { id, abort }: Sending, line: Line) => {
    const done = await turn();
    const hears: Hears = {
      share: (share) => change(id, { share }),
      waits: (waits) => change(id, { waits }),
      begun: (arrivingId) => change(id, { arrivingId }),
    };
    try {
      abort.signal.throwIfAborted();
      await line.work(hears, abort.signal);
      remove(id);
    } catch (error) {
      if (error instanceof Error && error.name === "AbortError") {
        remove(id);
      } else {
        change(id, { error: sayError(error), waits: false });
      }
    } finally {
      done();
      lookAgain(queryClient, line.studyId);
    }
  };
  const enqueue = (queryClient: QueryClient, line: Line): void => {
    const { studyId, name, size } = line;
    const sending: Sending = {
      ...{ id: next++, studyId, name, size, share: 0 },
      ...{ waits: false, error: null, arrivingId: null, abort: new AbortController() },
    };
    lines.set(sending.id, line);
    set(({ items }) => ({ items: [...items, sending] }));
    void send(queryClient, sending, line);
  };
  return {
    items: [],
    add: (queryClient, studyId, files) =>
      files.forEach((file) => enqueue(queryClient, fileLine(studyId, file))),
    addFolder: (queryClient, studyId, files) => enqueue(queryClient, folderLine(studyId, files)),
    dismiss: remove,
    retry: (queryClient, id) => {
      const line = lines.get(id);
      remove(id);
      if (line) {
        enqueue(queryClient, line);
      }
    },
    cancel: (id) =>
      get()
        .items.find((item) => item.id === id)
        ?.abort.abort(),
  };
});

/** A page that sends is not left without a question. */
const ask = (event: BeforeUnloadEvent) => event.preventDefault();
useSending.subscribe(({ items }) => {
  const change = items.some(({ error }) => error === null) ? addEventListener : removeEventListener;
  change("beforeunload", ask);
});
