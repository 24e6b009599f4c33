import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // files share their modules and a window: what a test leaves behind it takes away itself
  test: {
    setupFiles: ["src/testing/keys.ts"],
    pool: "threads",
    isolate: false,
    // for what hangs only: a busy machine takes many times as long as a quiet one
    testTimeout: 300_000,
    hookTimeout: 300_000,
  },
  build: { chunkSizeWarningLimit: 1500 },
});
