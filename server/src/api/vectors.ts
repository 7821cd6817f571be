import type { Request, Router } from "express";
import { vectorRoutes as routes } from "@hindglance/contract/vectors";
import { tooLarge } from "../errors";
import type { Services } from "./services";
import { serve } from "./serve";

/** Bytes that a file may have that is read without being kept. */
const MOST_BYTES = 20 << 20;

/** The body of a request. @throws AppError 413 where it is too large to be held in memory */
async function bytesOf(req: Request, name: string): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let length = 0;
  for await (const part of req as AsyncIterable<Uint8Array>) {
    length += part.length;
    if (length > MOST_BYTES) {
      throw tooLarge(name, MOST_BYTES);
    }
    parts.push(part);
  }
  return Buffer.concat(parts);
}

/** Serves the routes that read a file of features and keep nothing. */
export function vectorRoutes(api: Router, { vectors }: Services): void {
  serve(api, routes.area, async ({ query: { name }, req }) => {
    const bytes = await bytesOf(req, name);
    return vectors.run("area", () => Promise.resolve({ name, files: [{ name, bytes }] }));
  });
  serve(api, routes.features, async ({ query: { name, layer }, req }) => {
    const bytes = await bytesOf(req, name);
    return vectors.run("features", () =>
      Promise.resolve({ name, files: [{ name, bytes }], layer }),
    );
  });
}
