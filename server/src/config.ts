import { availableParallelism } from "node:os";

export interface Config {
  databaseUrl: string;
  host: string;
  port: number;
  workers: number;
  webRoot: string;
  allowedHosts: string[];
  maxUploadBytes: number;
  logLevel: string;
  /** Whether answers are checked with their routes, as they are under test. */
  checkAnswers: boolean;
}

/** Settings from the environment; see README for the list. */
export function readConfig(env: NodeJS.ProcessEnv = process.env): Config {
  const databaseUrl = env.DATABASE_URL;
  if (!databaseUrl) {
    throw new Error(
      "DATABASE_URL is not set. Start with bin/start, which sets it, or point it at a PostgreSQL database.",
    );
  }
  const port = Number(env.PORT ?? 5170);
  const workers = Number(env.WORKERS ?? Math.max(1, Math.min(8, availableParallelism())));
  if (!Number.isInteger(port) || port < 0 || port > 65535) {
    throw new Error(`PORT must be a port number, not "${env.PORT}"`);
  }
  if (!Number.isInteger(workers) || workers < 0 || workers > 64) {
    throw new Error(`WORKERS must be a whole number from 0 to 64, not "${env.WORKERS}"`);
  }
  return {
    databaseUrl,
    host: env.HOST ?? "127.0.0.1",
    port,
    workers,
    webRoot: env.WEB_ROOT ?? "dist/web",
    allowedHosts: (env.ALLOWED_HOSTS ?? "")
      .split(",")
      .map((s) => s.trim())
      .filter(Boolean),
    maxUploadBytes: Number(env.MAX_UPLOAD_BYTES ?? 64 * 2 ** 30),
    logLevel: env.LOG_LEVEL ?? "info",
    checkAnswers: env.CHECK_ANSWERS === "1",
  };
}
