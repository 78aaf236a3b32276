import { defineConfig } from "vite";

/** The sample game's room: a program of its own, built into its own package. */
export default defineConfig({
  root: "room",
  build: {
    outDir: "../../stonestack/samplegame/static",
    emptyOutDir: true,
    chunkSizeWarningLimit: 1500,
    rolldownOptions: { input: "room/room.html" },
  },
});
