import { svelte } from "@sveltejs/vite-plugin-svelte";
import tailwindcss from "@tailwindcss/vite";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  build: {
    outDir: "dist",
    emptyOutDir: true,
    chunkSizeWarningLimit: 1200,
    rolldownOptions: {
      checks: { pluginTimings: false },
      // The library does not say that its parts stand by themselves: without this the classes of
      // every part that it has come with any one of them.
      treeshake: { moduleSideEffects: [{ test: /flowbite-svelte.dist.*\.js$/, sideEffects: false }] },
    },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8080" } },
  test: { css: true, include: ["src/**/*.test.ts"], testTimeout: 60_000, hookTimeout: 60_000 },
});
