import type { Client } from "./pool";

/** Says that a worker lives. */
export const seen = async (
  client: Client,
  worker: string,
  host: string,
  pid: number,
): Promise<void> => {
  await client.query(
    `
      INSERT INTO worker (id, host, pid)
      VALUES ($1, $2, $3)
      ON CONFLICT (id) DO UPDATE
      SET seen_at = now()
    `,
    [worker, host, pid],
  );
};

/** Takes a worker off the list and lets its ranges go to others. */
export const gone = async (client: Client, worker: string): Promise<void> => {
  await client.query("DELETE FROM worker WHERE id = $1", [worker]);
};
