import { processRoutes as routes } from "@hindglance/contract/processes";
import type { Router } from "express";
import { listProcesses, setDraining } from "../db/processes";
import { AppError } from "../errors";
import { PROGRAM } from "../products/provenance";
import { serve } from "./serve";
import type { Services } from "./services";

/** Routes of the servers and workers that share the database. */
export function processRoutes(api: Router, { db }: Services): void {
  serve(api, routes.list, () => db.withClient((client) => listProcesses(client, PROGRAM)));
  serve(api, routes.drain, ({ params: { id }, body: { isDraining } }) =>
    db.withTransaction(async (client) => {
      if (!(await setDraining(client, id, isDraining))) {
        throw new AppError(
          404,
          "notFound",
          "There is no such worker",
          "id",
          "It may have ended; look at the list again.",
        );
      }
      return (await listProcesses(client, PROGRAM)).find((one) => one.id === id)!;
    }),
  );
}
