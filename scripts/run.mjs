// Runs one TypeScript entry: node scripts/run.mjs path/to/entry.ts [arguments]
import { mkdirSync } from "node:fs";
import { spawnSync } from "node:child_process";
import { basename, join } from "node:path";
import { build } from "esbuild";
import { buildKernels } from "./kernels.mjs";

const root = new URL("..", import.meta.url).pathname;
const [entry, ...args] = process.argv.slice(2);
if (!entry) {
  console.error("Usage: node scripts/run.mjs entry.ts [arguments]");
  process.exit(2);
}
await buildKernels();
const dir = join(root, "dist", "run");
mkdirSync(dir, { recursive: true });
const outfile = join(dir, `${basename(entry, ".ts")}-${process.pid}.mjs`);
await build({
  entryPoints: [join(root, entry)],
  outfile,
  bundle: true,
  platform: "node",
  format: "esm",
  target: "node20",
  packages: "external",
  sourcemap: "inline",
  logLevel: "warning",
  loader: { ".sql": "text" },
  plugins: [
    {
      name: "workspace-alias",
      setup(b) {
        b.onResolve({ filter: /^@hindglance\// }, (a) => {
          const [, h, r] = /^@hindglance\/([a-z0-9]+)\/(.*)$/.exec(a.path);
          return b.resolve(`./${h}/src/${r}`, { resolveDir: root, kind: a.kind });
        });
      },
    },
  ],
});
const r = spawnSync(
  process.execPath,
  ["--enable-source-maps", "--max-old-space-size=4096", outfile, ...args],
  { stdio: "inherit", cwd: root },
);
(await import("node:fs")).rmSync(outfile, { force: true });
process.exit(r.status ?? 1);
