import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  base: "/static/",
  build: { chunkSizeWarningLimit: 2000, assetsInlineLimit: 0 },
});
