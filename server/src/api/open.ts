import type { Router } from "express";
import { OPEN, openRoutes as routes } from "@hindglance/contract/open";
import { listMapFiles } from "../db/blobs";
import { type ChangeMap, listChangeMaps } from "../db/changeMaps";
import { isOpen, setOpen } from "../db/open";
import type { Client } from "../db/pool";
import { addToLedger } from "../db/studies";
import { notFound } from "../errors";
import { FILE_KINDS } from "../files/list";
import { fileNameOf } from "../files/names";
import { serve } from "./serve";
import type { Services } from "./services";

/** Maps of a study whose classes are not there as a file yet. */
async function withoutFile(client: Client, study: string): Promise<ChangeMap[]> {
  const lacking: ChangeMap[] = [];
  for (const map of await listChangeMaps(client, study)) {
    const files = await listMapFiles(client, map.id);
    if (!files.some(({ format }) => format === "cog")) {
      lacking.push(map);
    }
  }
  return lacking;
}

/** Routes of the switch of a study's open services. */
export function openRoutes(api: Router, { db, engine }: Services): void {
  const view = (id: string, on: boolean) => ({ on, path: on ? `${OPEN}/${id}` : null });
  serve(api, routes.find, async ({ params: { id } }) => {
    const on = await db.withClient((client) => isOpen(client, id));
    if (on === null) {
      throw notFound("study");
    }
    return view(id, on);
  });
  serve(api, routes.set, async ({ params: { id }, body: { on } }) =>
    db.withTransaction(async (client) => {
      if (!(await setOpen(client, id, on))) {
        throw notFound("study");
      }
      await addToLedger(client, id, on ? "Services opened" : "Services closed", {});
      for (const map of on ? await withoutFile(client, id) : []) {
        const fileName = fileNameOf(map, FILE_KINDS.cog.extension);
        await engine.submit(client, {
          ...{ studyId: id, kind: "makeFile", title: `Make ${fileName}` },
          params: { changeMapId: map.id, format: "cog", fileName },
        });
      }
      return view(id, on);
    }),
  );
}
