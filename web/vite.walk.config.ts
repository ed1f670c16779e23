import { defineConfig } from 'vite'

/** The walk-through of a package: one classic script, since a page that is opened from a folder may load no modules. */
export default defineConfig({
  publicDir: false,
  build: {
    outDir: 'dist/walk',
    emptyOutDir: true,
    lib: { entry: 'src/walk/main.ts', formats: ['iife'], name: 'walk', fileName: () => 'walk.js', cssFileName: 'walk' },
  },
})
