import { readFileSync } from "node:fs";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import type { Plugin } from "vite";
import { defineConfig } from "vitest/config";

const FONTS = ["instrument-sans", "newsreader"];

/** The licences of the fonts, which come by the style sheets and so are not among those of the scripts. */
function fontLicences(): Plugin {
  return {
    name: "font-licences",
    generateBundle() {
      const source = FONTS.map((font) =>
        readFileSync(`node_modules/@fontsource-variable/${font}/LICENSE`, "utf8"),
      ).join("\n\n");
      this.emitFile({ type: "asset", fileName: "licenses-fonts.txt", source });
    },
  };
}

export default defineConfig(({ command }) => ({
  base: command === "build" ? "/static/" : "/",
  plugins: [react(), tailwindcss(), fontLicences()],
  build: { chunkSizeWarningLimit: 1200, license: { fileName: "licenses.md" } },
  server: { proxy: { "/api": "http://127.0.0.1:8765", "/admin": "http://127.0.0.1:8765" } },
  test: {
    environment: "jsdom",
    include: ["src/**/*.test.{ts,tsx}", "site/src/**/*.test.ts"],
    setupFiles: ["src/test/setup.ts"],
    testTimeout: 60_000, // above what a step of a test waits for
  },
}));
