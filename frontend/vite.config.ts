import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { sourcemap: false },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
  // Modules are loaded once for each worker, and each file has globals of its own: three times as fast as a process each.
  test: {
    include: ["src/**/*.test.{ts,tsx}"],
    restoreMocks: true,
    pool: "vmThreads",
    maxWorkers: "100%",
    reporters: ["dot"],
    // For what hangs, however busy the machine is.
    testTimeout: 60_000,
    hookTimeout: 60_000,
  },
});
