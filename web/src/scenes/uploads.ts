import type { RequestOf } from "@hindglance/contract/route";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { create } from "zustand";
import type { QueryClient } from "@tanstack/react-query";
import { api, sayError, sendFile } from "../api/client";
import { keys } from "../api/hooks";
import type { Upload } from "../api/types";
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

/** Files on their way to the server; they go on while other stages are open. */
export const useSending = create<Queue>((set) => {
  const change = (id: number, s: Partial<Sending>) =>
    set((queue) => ({
      items: queue.items.map((item) => (item.id === id ? { ...item, ...s } : item)),
    }));
  const remove = (id: number) =>
    set((queue) => ({ items: queue.items.filter((item) => item.id !== id) }));
  /**
   * Puts one line into the queue and does its work when it is its turn; what the work throws is
   * said on that line.
   */
  const enqueue = (
    queryClient: QueryClient,
    studyId: string,
    name: string,
    size: number,
    work: (share: (value: number) => void, signal: AbortSignal) => Promise<void>,
  ): void => {
    const id = next++;
    const abort = new AbortController();
    set((queue) => ({
      items: [...queue.items, { id, studyId, name, size, share: 0, error: null, abort }],
    }));
    void (async () => {
      const done = await turn();
      try {
        abort.signal.throwIfAborted();
        await work((share) => change(id, { share }), abort.signal);
        remove(id);
      } catch (error) {
        if ((error as Error).name === "AbortError") {
          remove(id);
        } else {
          change(id, { error: sayError(error) });
        }
      } finally {
        done();
        // An orbit file can serve scenes that are there already: their chains change with it.
        for (const key of [
          keys.scenes(studyId),
          keys.uploads(studyId),
          keys.zones(studyId),
          keys.prepare(studyId),
          keys.sides(studyId),
          keys.runs,
        ]) {
          void queryClient.invalidateQueries({ queryKey: key });
        }
      }
    })();
  };
  return {
    items: [],
    add: (queryClient, studyId, files) => {
      for (const file of files) {
        enqueue(queryClient, studyId, file.name, file.size, async (share, signal) => {
          if (!/\.(tiff?|jp2|j2k|png|jpe?g|geo?json|zip|eof)$/i.test(file.name)) {
            throw new Error(
              `${file.name}: files of this kind cannot be read here. Radar products and granules (.zip or folder), orbit files (.EOF), optical bands (.TIF) together with their metadata text (_MTL), images (.tif, .jp2, .png, .jpg) with their world file, and GeoJSON (.geojson) for zones can.`,
            );
          }
          const { detail } = await sendFile<Upload>(
            `/studies/${studyId}/uploads?name=${encodeURIComponent(file.name)}&take=1`,
            file,
            share,
            signal,
          );
          if (detail?.form === "orbit") {
            useUi
              .getState()
              .say(
                detail.scenes?.length
                  ? `The orbit file serves ${detail.scenes.join(", ")}.`
                  : `${file.name} is kept; it serves no scene of this study yet.`,
              );
          }
        });
      }
    },
    addFolder: (queryClient, studyId, files) => {
      const folder = crypto.randomUUID();
      const size = files.reduce((s, file) => s + file.size, 0);
      enqueue(
        queryClient,
        studyId,
        (
          files.find((file) => /_MTL\.\w+$/i.test(file.name))?.name ??
          pathOf(files[0]!).split("/")[0]!
        ).replace(/_MTL\.\w+$/i, ""),
        size,
        async (share, signal) => {
          let sent = 0;
          for (const file of files) {
            await sendFile(
              `/studies/${studyId}/uploads?name=${encodeURIComponent(file.name)}&folder=${folder}&path=${encodeURIComponent(pathOf(file))}`,
              file,
              (value) => share((sent + value * file.size) / Math.max(1, size)),
              signal,
            );
            sent += file.size;
          }
          await api<Upload>(
            "POST",
            `/studies/${studyId}/folders/${folder}?take=1`,
            undefined,
            signal,
          );
        },
      );
    },
    dismiss: remove,
    cancel: (id) =>
      useSending
        .getState()
        .items.find((item) => item.id === id)
        ?.abort.abort(),
  };
});
