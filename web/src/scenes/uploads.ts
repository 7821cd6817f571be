import type { RequestOf } from "@hindglance/contract/route";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { uploadRoutes } from "@hindglance/contract/upload";
import { call } from "../api/call";
import { create } from "zustand";
import type { QueryClient } from "@tanstack/react-query";
import { sayError } from "../api/client";
import { sendFile } from "../api/sendFile";
import { keys } from "../api/hooks";
import { useUi } from "../state/ui";
import { pathOf } from "./files";

export interface Sending {
  id: number;
  studyId: string;
  name: string;
  size: number;
  share: number;
  error: string | null;
  abort: AbortController;
}

interface Queue {
  items: Sending[];
  add(queryClient: QueryClient, studyId: string, files: File[]): void;
  addFolder(queryClient: QueryClient, studyId: string, files: File[]): void;
  dismiss(id: number): void;
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

/** Sends what one line of the queue stands for; tells how far it is, 0 to 1. */
type Work = (share: (value: number) => void, signal: AbortSignal) => Promise<void>;

/** A line of the queue before it is in it. */
interface Line {
  studyId: string;
  name: string;
  size: number;
  work: Work;
}

const READABLE = /\.(tiff?|jp2|j2k|png|jpe?g|geo?json|zip|eof)$/i;

/** What an orbit file that was taken does for a study. */
function orbitSaid(file: string, scenes: readonly string[] | undefined): string {
  return scenes?.length
    ? `The orbit file serves ${scenes.join(", ")}.`
    : `${file} is kept; it serves no scene of this study yet.`;
}

/** A file by itself. */
function fileLine(studyId: string, file: File): Line {
  const work: Work = async (share, signal) => {
    if (!READABLE.test(file.name)) {
      throw new Error(
        `${file.name}: files of this kind cannot be read here. Radar products and granules (.zip or folder), orbit files (.EOF), optical bands (.TIF) together with their metadata text (_MTL), images (.tif, .jp2, .png, .jpg) with their world file, and GeoJSON (.geojson) for zones can.`,
      );
    }
    const query = { name: file.name, take: true };
    const { detail } = await sendFile(studyId, query, file, share, signal);
    if (detail?.form === "orbit") {
      useUi.getState().say(orbitSaid(file.name, detail.scenes));
    }
  };
  return { studyId, name: file.name, size: file.size, work };
}

/** What a folder of files is called: by its metadata text, or by the folder itself. */
function folderName(files: readonly File[]): string {
  const metadata = files.find((file) => /_MTL\.\w+$/i.test(file.name))?.name;
  const name = metadata ?? pathOf(files[0]!).split("/")[0]!;
  return name.replace(/_MTL\.\w+$/i, "");
}

/** Files that belong together. */
function folderLine(studyId: string, files: File[]): Line {
  const folder = crypto.randomUUID();
  const size = files.reduce((sum, file) => sum + file.size, 0);
  const work: Work = async (share, signal) => {
    let sent = 0;
    for (const file of files) {
      const query = { name: file.name, folder, path: pathOf(file) };
      const ofAll = (value: number) => share((sent + value * file.size) / Math.max(1, size));
      await sendFile(studyId, query, file, ofAll, signal);
      sent += file.size;
    }
    const request = { params: { id: studyId, folder }, query: { take: true } };
    await call(uploadRoutes.gather, request, signal);
  };
  return { studyId, name: folderName(files), size, work };
}

/** What a new file can change. An orbit file can serve scenes that are there: their chains too. */
function lookAgain(queryClient: QueryClient, studyId: string): void {
  const { scenes, uploads, zones, prepare, sides, runs } = keys;
  const ofStudy = [scenes, uploads, zones, prepare, sides].map((key) => key(studyId));
  for (const queryKey of [...ofStudy, runs]) {
    void queryClient.invalidateQueries({ queryKey });
  }
}

/** Files on their way to the server; they go on while other stages are open. */
export const useSending = create<Queue>((set, get) => {
  const change = (id: number, part: Partial<Sending>) =>
    set(({ items }) => ({
      items: items.map((item) => (item.id === id ? { ...item, ...part } : item)),
    }));
  const remove = (id: number) =>
    set(({ items }) => ({ items: items.filter((item) => item.id !== id) }));
  /** Does the work of a line when it is its turn; what the work throws is said on that line. */
  const send = async (queryClient: QueryClient, { id, abort }: Sending, line: Line) => {
    const done = await turn();
    try {
      abort.signal.throwIfAborted();
      await line.work((share) => change(id, { share }), abort.signal);
      remove(id);
    } catch (error) {
      if (error instanceof Error && error.name === "AbortError") {
        remove(id);
      } else {
        change(id, { error: sayError(error) });
      }
    } finally {
      done();
      lookAgain(queryClient, line.studyId);
    }
  };
  const enqueue = (queryClient: QueryClient, line: Line): void => {
    const { studyId, name, size } = line;
    const abort = new AbortController();
    const sending: Sending = { id: next++, studyId, name, size, share: 0, error: null, abort };
    set(({ items }) => ({ items: [...items, sending] }));
    void send(queryClient, sending, line);
  };
  return {
    items: [],
    add: (queryClient, studyId, files) =>
      files.forEach((file) => enqueue(queryClient, fileLine(studyId, file))),
    addFolder: (queryClient, studyId, files) => enqueue(queryClient, folderLine(studyId, files)),
    dismiss: remove,
    cancel: (id) =>
      get()
        .items.find((item) => item.id === id)
        ?.abort.abort(),
  };
});
