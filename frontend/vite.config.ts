import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { chunkSizeWarningLimit: 1700 },
  server: { host: "127.0.0.1", proxy: { "/api": "http://127.0.0.1:8417" } },
  // A new browser's world for every file took four times as long as all tests.
  test: { environment: "jsdom", include: ["src/**/*.test.{ts,tsx}"], isolate: false },
});
