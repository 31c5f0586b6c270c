import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  build: { outDir: "../src/lentra/service/console", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  test: { environment: "jsdom", setupFiles: ["src/testing.ts"], testTimeout: 60_000 },
  server: { proxy: { "/api": "http://127.0.0.1:8460" } },
});
