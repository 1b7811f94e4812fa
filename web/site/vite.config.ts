import { readFileSync } from "node:fs";
import type { Plugin } from "vite";
import { defineConfig } from "vite";

/** The version beside the script, for those who serve it. */
function version(): Plugin {
  return {
    name: "version",
    generateBundle() {
      const { version } = JSON.parse(readFileSync("site/package.json", "utf8")) as { version: string };
      this.emitFile({ type: "asset", fileName: "version", source: version });
    },
  };
}

const MODULE = process.env.NEAT_SITE_MODULE === "1";

// As a script of its own, for pages; and as modules: for sites that are built themselves, and the parts loaded when needed.
export default defineConfig({
  publicDir: false,
  plugins: [version()],
  build: {
    outDir: "dist/site",
    emptyOutDir: false,
    sourcemap: true,
    target: "es2020",
    lib: MODULE
      ? {
          entry: { neat: "site/src/start.ts", "neat-preview": "site/src/preview.ts" },
          formats: ["es"],
          fileName: (_format, name) => (name === "neat" ? "neat.mjs" : `${name}.js`),
        }
      : { entry: "site/src/neat.ts", formats: ["iife"], name: "neatScript", fileName: () => "neat.js" },
  },
});
