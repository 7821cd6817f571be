// Compiles core/kernels (AssemblyScript) to WebAssembly and writes it as text into
// core/src/wasm/kernels.generated.ts. Skips when nothing changed.
import { createHash } from "node:crypto";
import { existsSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("..", import.meta.url));
const dir = join(root, "core/kernels");
const out = join(root, "core/src/wasm/kernels.generated.ts");
const digest = createHash("sha256");
for (const file of readdirSync(dir).sort()) {
  digest.update(file).update(readFileSync(join(dir, file)));
}
const mark = `// ${digest.digest("hex")}`;

export async function buildKernels() {
  if (existsSync(out) && readFileSync(out, "utf8").startsWith(mark)) {
    return;
  }
  const asc = (await import("assemblyscript/asc")).default;
  const files = {};
  const { error, stderr } = await asc.main(
    [
      "index.ts",
      "--baseDir",
      dir,
      "--outFile",
      "kernels.wasm",
      "--optimizeLevel",
      "3",
      "--shrinkLevel",
      "0",
      "--converge",
      "--noAssert",
      "--runtime",
      "stub",
      "--enable",
      "simd",
      "--use",
      "abort=",
    ],
    {
      writeFile: (name, data) => {
        files[name] = data;
      },
      readFile: (name) => {
        try {
          return readFileSync(join(dir, name), "utf8");
        } catch {
          return null;
        }
      },
      listFiles: () => readdirSync(dir),
    },
  );
  if (error) {
    console.error(stderr.toString());
    throw error;
  }
  writeFileSync(
    out,
    `${mark}\n/** Compiled from core/kernels by scripts/kernels.mjs; base64. */\nexport const KERNELS = '${Buffer.from(files["kernels.wasm"]).toString("base64")}';\n`,
  );
  console.log(`compiled the kernels (${files["kernels.wasm"].length} bytes)`);
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  await buildKernels();
}
