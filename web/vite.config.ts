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
  // Making a page takes a second: tests that need one are named for it, and share what makes it.
  test: {
    maxWorkers: 2,
    pool: "threads",
    projects: [
      {
        extends: true,
        test: { name: "plain", include: ["src/**/*.test.ts"], exclude: ["src/**/*.page.test.ts"] },
      },
      {
        extends: true,
        test: {
          name: "page",
          include: ["src/**/*.page.test.{ts,tsx}"],
          environment: "jsdom",
          pool: "vmThreads",
        },
      },
    ],
  },
});
