import { statSync } from "node:fs";
import { availableParallelism } from "node:os";

/** How old things become before they are swept. */
export interface Ages {
  /** Uploads that nobody made a scene of, since their last byte came, days. */
  uploadDays: number;
  /** Files whose making or sending broke off, hours. */
  fileHours: number;
  /** Facts that can be found again, days. */
  factDays: number;
  /** Runs that ended, days. */
  runDays: number;
}

/** What the server is started with. */
export interface Config {
  databaseUrl: string;
  host: string;
  port: number;
  workers: number;
  webRoot: string;
  allowedHosts: string[];
  maxUploadBytes: number;
  logLevel: string;
  ages: Ages;
  /** Where it is told that a run of a recipe has ended. */
  notices: { url: string | null; file: string | null };
  /** The folder that is watched for what is laid into folders called as studies are; null: none. */
  watchFolder: string | null;
  /** Whether answers are checked with their routes, as they are under test. */
  checkAnswers: boolean;
}

/** A whole number among the settings. @throws Error naming the setting and what it may be */
function wholeIn(
  env: NodeJS.ProcessEnv,
  name: string,
  otherwise: number,
  most: number,
  what: string,
): number {
  const value = Number(env[name] ?? otherwise);
  if (!Number.isInteger(value) || value < 0 || value > most) {
    throw new Error(`${name} must be ${what}, not "${env[name]}"`);
  }
  return value;
}

const MOST_AGE = 100_000;
const ageIn = (env: NodeJS.ProcessEnv, name: string, otherwise: number): number =>
  wholeIn(env, name, otherwise, MOST_AGE, `a whole number from 0 to ${MOST_AGE}`);

/** Parts of a list with commas, without spaces and empty ones. */
const listIn = (text = ""): string[] =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);

/** An address of the web among the settings; null where it is not set. @throws Error naming the setting */
function urlIn(env: NodeJS.ProcessEnv, name: string): string | null {
  const text = env[name];
  if (!text) {
    return null;
  }
  const isWeb = URL.canParse(text) && /^https?:$/.test(new URL(text).protocol);
  if (!isWeb) {
    throw new Error(
      `${name} must be an address that begins with http:// or https://, not "${text}"`,
    );
  }
  return text;
}

/** A folder among the settings; null where it is not set. @throws Error naming the setting */
function folderIn(env: NodeJS.ProcessEnv, name: string): string | null {
  const path = env[name];
  if (!path) {
    return null;
  }
  if (!statSync(path, { throwIfNoEntry: false })?.isDirectory()) {
    throw new Error(`${name} must be a folder that is there, not "${path}"`);
  }
  return path;
}

const MOST_WORKERS = 64;
const MOST_UPLOAD = 64 * 2 ** 30;

/** Settings from the environment; see README for the list. @throws Error naming a wrong one */
export function readConfig(env: NodeJS.ProcessEnv = process.env): Config {
  const databaseUrl = env.DATABASE_URL;
  if (!databaseUrl) {
    throw new Error(
      "DATABASE_URL is not set. Start with bin/start, which sets it, or point it at a PostgreSQL database.",
    );
  }
  const cores = Math.max(1, Math.min(8, availableParallelism()));
  const port = wholeIn(env, "PORT", 5170, 65535, "a port number");
  const workers = `a whole number from 0 to ${MOST_WORKERS}`;
  const most = Number.MAX_SAFE_INTEGER;
  return {
    databaseUrl,
    host: env.HOST ?? "127.0.0.1",
    port,
    workers: wholeIn(env, "WORKERS", cores, MOST_WORKERS, workers),
    webRoot: env.WEB_ROOT ?? "dist/web",
    allowedHosts: listIn(env.ALLOWED_HOSTS),
    maxUploadBytes: wholeIn(env, "MAX_UPLOAD_BYTES", MOST_UPLOAD, most, "a whole number of bytes"),
    logLevel: env.LOG_LEVEL ?? "info",
    ages: {
      uploadDays: ageIn(env, "UPLOAD_DAYS", 14),
      fileHours: ageIn(env, "FILE_HOURS", 1),
      factDays: ageIn(env, "FACT_DAYS", 30),
      runDays: ageIn(env, "RUN_DAYS", 30),
    },
    watchFolder: folderIn(env, "WATCH_FOLDER"),
    notices: { url: urlIn(env, "NOTICE_URL"), file: env.NOTICE_FILE ?? null },
    checkAnswers: env.CHECK_ANSWERS === "1",
  };
}
