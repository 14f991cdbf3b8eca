import babel from "@rolldown/plugin-babel";
import tailwindcss from "@tailwindcss/vite";
import react, { reactCompilerPreset } from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  // The compiler lets a part of the page be drawn anew only where what it shows has changed.
  plugins: [react(), babel({ presets: [reactCompilerPreset()] }), tailwindcss()],
  build: { chunkSizeWarningLimit: 1500 },
  server: { proxy: { "/api": "http://127.0.0.1:4610" } },
});
