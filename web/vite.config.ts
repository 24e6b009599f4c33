import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // files share their modules and a window: what a test leaves behind it takes away itself
  test: { setupFiles: ["src/testing/keys.ts"], pool: "threads", isolate: false },
  build: { chunkSizeWarningLimit: 1500 },
});
