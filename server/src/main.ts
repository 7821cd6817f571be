import { fork, type ChildProcess } from "node:child_process";
import { fileURLToPath } from "node:url";
import { dirname, join } from "node:path";
import { messageOf } from "@hindglance/core/errors";
import { type Config, readConfig } from "./config";
import { serve } from "./serve";

// Starts the API and one worker process a core. Ctrl-C, SIGTERM and the end of this process end the
// workers too.
const here = dirname(fileURLToPath(import.meta.url));
const config = settings();
const running = await serve(config, {
  preview: join(here, "previewThread.js"),
  vectors: join(here, "vectorProcess.js"),
}).catch((startError: NodeJS.ErrnoException) => {
  if (startError.code === "EADDRINUSE") {
    console.error(
      `Port ${config.port} on ${config.host} is in use. Stop the program that has it, or start with another: PORT=${config.port + 1} bin/start`,
    );
  } else if (startError.code === "ECONNREFUSED" || /^(08|28|3D|57P)/.test(startError.code ?? "")) {
    console.error(
      `The database does not answer (${startError.message}). Check that it runs and that DATABASE_URL is right.`,
    );
  } else {
    console.error("The server could not start:", startError);
  }
  process.exit(1);
});

/** The settings; where one is wrong, that is said in a sentence. */
function settings(): Config {
  try {
    return readConfig();
  } catch (error) {
    console.error(messageOf(error));
    process.exit(1);
  }
}

let stopping = false;
const children = new Set<ChildProcess>();
function startWorker(): void {
  const child = fork(join(here, "worker.js"), {
    stdio: ["ignore", "inherit", "inherit", "ipc"],
    execArgv: ["--max-old-space-size=600"],
  });
  children.add(child);
  child.once("exit", (code) => {
    children.delete(child);
    if (stopping) {
      return;
    }
    running.services.log.warn({ code }, "a worker ended; another takes its place");
    setTimeout(startWorker, 1000);
  });
}
for (let i = 0; i < config.workers; i++) {
  startWorker();
}

async function stop(): Promise<void> {
  if (stopping) {
    return;
  }
  stopping = true;
  for (const childProcess of children) {
    childProcess.kill("SIGTERM");
  }
  await Promise.race([running.close(), new Promise((ok) => setTimeout(ok, 6000))]);
  process.exit(0);
}
// Who started the server is gone without a word: nobody would stop it any more.
const starter = Number(process.env.STARTER_PID ?? NaN);
if (Number.isInteger(starter)) {
  setInterval(() => {
    if (process.ppid !== starter) {
      console.error("What started the server is gone: it stops.");
      void stop();
    }
  }, 1000).unref();
}
process.on("SIGINT", () => void stop());
process.on("SIGTERM", () => void stop());
console.log(`Hind Glance is at ${running.address}`);
process.send?.("ready");
