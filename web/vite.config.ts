import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vite";

const root = fileURLToPath(new URL("..", import.meta.url));
export default defineConfig({
  plugins: [react(), tailwindcss()],
  resolve: {
    alias: [{ find: /^@hindglance\/(contract|core)\/(.*)$/, replacement: `${root}$1/src/$2` }],
  },
  build: {
    outDir: `${root}dist/web`,
    emptyOutDir: true,
    target: "es2022",
    chunkSizeWarningLimit: 1500,
  },
  worker: { format: "es" },
  server: { proxy: { "/api": "http://127.0.0.1:5170" } },
});
