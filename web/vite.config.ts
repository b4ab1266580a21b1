/// <reference types="vitest/config" />
import tailwindcss from "@tailwindcss/vite";
import { defineConfig } from "vite";

// Django serves what is built from /static/build/.
export default defineConfig({
  base: "/static/build/",
  plugins: [tailwindcss()],
  esbuild: { jsx: "automatic" },
  build: {
    outDir: "../studio/static/build",
    emptyOutDir: true,
    target: "es2022",
    assetsInlineLimit: 0,
    rollupOptions: {
      // Libraries mark files for server components; there are none here.
      onwarn: (warning, warn) => {
        if (warning.code !== "MODULE_LEVEL_DIRECTIVE") warn(warning);
      },
    },
  },
  // A file that needs a page says so in its first line: making one takes a second each.
  test: { environment: "node", maxWorkers: 2, include: ["src/**/*.test.ts", "src/**/*.test.tsx"] },
});
