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
    // What parts have in common is a file of its own, by a name that is served.
    rollupOptions: MODULE ? { output: { chunkFileNames: "neat-[name].js" } } : {},
    lib: MODULE
      ? {
          entry: {
            neat: "site/src/start.ts",
            "neat-preview": "site/src/preview.ts",
            "neat-point": "site/src/point.ts",
            "neat-use": "site/src/use.ts",
          },
          formats: ["es"],
          fileName: (_format, name) => (name === "neat" ? "neat.mjs" : `${name}.js`),
        }
      : { entry: "site/src/neat.ts", formats: ["iife"], name: "neatScript", fileName: () => "neat.js" },
  },
});
