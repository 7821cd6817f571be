import type { Server } from "node:net";

/** The port that a server listens on. @throws Error where it listens on none */
export function portOf(address: ReturnType<Server["address"]>): number {
  if (address === null || typeof address === "string") {
    throw new Error("The server listens on no port");
  }
  return address.port;
}
