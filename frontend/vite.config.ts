import tailwindcss from "@tailwindcss/vite";
import { defineConfig } from "vite";

/** The application's pages, built into the Python package that serves them. */
export default defineConfig({
  plugins: [tailwindcss()],
  resolve: { alias: { "@": new URL("./src", import.meta.url).pathname } },
  build: {
    outDir: "../stonestack/web/static",
    emptyOutDir: true,
    chunkSizeWarningLimit: 1500,
    assetsInlineLimit: 0,
  },
});
