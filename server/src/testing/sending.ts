import { createHash } from "node:crypto";
import type { TestServer } from "./harness";

/** What every request of the protocol carries. */
export const TUS = { "tus-resumable": "1.0.0" };

const base64 = (text: string | Uint8Array) => Buffer.from(text).toString("base64");

/** The header that tells the checksum of a whole file. */
export const digestHeader = (bytes: Uint8Array) => ({
  "repr-digest": `sha-256=:${createHash("sha256").update(bytes).digest("base64")}:`,
});

/** Announces a file; where it is to be sent. */
export async function announce(
  testServer: TestServer,
  length: number,
  said: Record<string, string>,
): Promise<{ status: number; text: string; at: string }> {
  const metadata = Object.entries(said).map(([key, value]) => `${key} ${base64(value)}`);
  const response = await testServer.request("/api/sending", {
    method: "POST",
    headers: { ...TUS, "upload-length": String(length), "upload-metadata": metadata.join() },
  });
  return {
    status: response.status,
    text: await response.text(),
    at: response.headers.get("location") ?? "",
  };
}

/** Sends a piece of a file. */
export async function piece(
  testServer: TestServer,
  at: string,
  offset: number,
  bytes: Uint8Array,
  headers: Record<string, string> = {},
): Promise<{ status: number; text: string }> {
  const response = await testServer.request(at, {
    method: "PATCH",
    headers: {
      ...TUS,
      ...headers,
      "upload-offset": String(offset),
      "content-type": "application/offset+octet-stream",
    },
    body: new Uint8Array(bytes),
  });
  return { status: response.status, text: await response.text() };
}

/** How many bytes of a file are there; the status below nought where it is not. */
export async function offsetOf(testServer: TestServer, at: string): Promise<number> {
  const response = await testServer.request(at, { method: "HEAD", headers: TUS });
  return response.ok ? Number(response.headers.get("upload-offset")) : -response.status;
}
