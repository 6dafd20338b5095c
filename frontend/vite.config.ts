import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  base: "/static/",
  // The help is made from docs/, beside this folder.
  server: { fs: { allow: [".."] } },
  test: {
    projects: [
      // Modules are loaded once for all files of tests: that takes most of the time.
      { extends: true, test: { name: "logic", include: ["src/**/*.test.ts"], isolate: false } },
      { extends: true, test: { name: "page", include: ["src/**/*.test.tsx"], testTimeout: 20_000 } },
    ],
  },
  build: { chunkSizeWarningLimit: 2000, assetsInlineLimit: 0 },
});
