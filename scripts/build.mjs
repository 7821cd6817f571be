// Builds the server (esbuild) and the pages (Vite) into dist/, and skips what has not changed since
// the last build.
import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { build } from "esbuild";
import { buildKernels } from "./kernels.mjs";

const root = new URL("..", import.meta.url).pathname;
process.chdir(root);
await buildKernels();

/** Digest of the names, sizes and change times of everything that goes into a build. */
function stamp(dirs) {
  const h = createHash("sha256");
  const walk = (folder) => {
    for (const e of readdirSync(folder, { withFileTypes: true }).sort((a, b) =>
      a.name < b.name ? -1 : 1,
    )) {
      if (e.name === "node_modules" || e.name === "dist") {
        continue;
      }
      const path = join(folder, e.name);
      if (e.isDirectory()) {
        walk(path);
      } else {
        const s = statSync(path);
        h.update(`${path}\0${s.size}\0${Math.round(s.mtimeMs)}\n`);
      }
    }
  };
  for (const folder of dirs) {
    walk(folder);
  }
  h.update(readFileSync("package-lock.json"));
  return h.digest("hex");
}
const stampFile = "dist/build.json";
const old = existsSync(stampFile) ? JSON.parse(readFileSync(stampFile, "utf8")) : {};
const now = {
  server: stamp(["contract", "core", "formats", "glance", "server", "world", "scripts"]),
  web: stamp(["contract", "core", "web", "scripts"]),
};

if (old.server !== now.server || !existsSync("dist/server/main.js")) {
  await build({
    entryPoints: {
      "server/main": "server/src/main.ts",
      "server/worker": "server/src/worker.ts",
      "server/previewThread": "server/src/preview/previewThread.ts",
      "server/vectorProcess": "server/src/vectors/vectorProcess.ts",
      "glance/main": "glance/src/main.ts",
      "world/main": "world/src/main.ts",
      "world/demo": "world/src/demo.ts",
      "world/archive": "world/src/archive/main.ts",
      "world/facts": "world/src/facts.ts",
      "world/products": "world/src/productsMain.ts",
      "world/chainFacts": "world/src/chainFacts.ts",
      "world/opticalFacts": "world/src/opticalFacts.ts",
      "world/changeFacts": "world/src/changeFacts.ts",
      "world/pairFacts": "world/src/pairFacts.ts",
      "world/coverFacts": "world/src/coverFacts.ts",
      "world/seriesFacts": "world/src/seriesFacts.ts",
      "world/smallFacts": "world/src/smallFacts.ts",
      "world/falseAlarmTerms": "world/src/falseAlarmTerms.ts",
    },
    outdir: "dist",
    bundle: true,
    platform: "node",
    format: "esm",
    target: "node20",
    packages: "external",
    sourcemap: true,
    splitting: false,
    plugins: [workspaceAlias()],
    logLevel: "warning",
    loader: { ".sql": "text" },
  });
  console.log("built the server");
}
if (old.web !== now.web || !existsSync("dist/web/index.html")) {
  const { build: viteBuild } = await import("vite");
  await viteBuild({ root: "web", configFile: "web/vite.config.ts", logLevel: "warn" });
  console.log("built the pages");
}
mkdirSync("dist", { recursive: true });
writeFileSync(stampFile, JSON.stringify(now));

/**
 * @hindglance/x/y means x/src/y.ts; such imports are bundled, everything else from npm stays
 * outside.
 */
export function workspaceAlias() {
  return {
    name: "workspace-alias",
    setup(b) {
      b.onResolve({ filter: /^@hindglance\// }, (a) => {
        const [, house, rest] = /^@hindglance\/([a-z]+)\/(.*)$/.exec(a.path);
        return b.resolve(`./${house}/src/${rest}`, { resolveDir: root, kind: a.kind });
      });
    },
  };
}
