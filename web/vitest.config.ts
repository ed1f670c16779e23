import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    environment: 'jsdom',
    testTimeout: 30_000,
    include: ['src/**/*.test.{ts,tsx}'],
    css: false,
    setupFiles: ['src/testing/setup.ts'],
  },
})
