import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

const server = "http://127.0.0.1:8360";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../src/tin_kettle/web/static", emptyOutDir: true, assetsInlineLimit: 0 },
  worker: { format: "es" },
  server: { proxy: { "/api": { target: server, ws: true } } },
  test: { include: ["src/**/*.test.ts"] },
});
