import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  test: { setupFiles: ["src/testing/keys.ts"] },
  build: { chunkSizeWarningLimit: 1500 },
});
