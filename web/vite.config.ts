import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import react from '@vitejs/plugin-react'
import { defineConfig, type Plugin } from 'vite'

/** The service worker, with the list of what it keeps for those who have no network. */
const offline = (): Plugin => ({
  name: 'offline',
  apply: 'build',
  generateBundle(_, bundle) {
    const files = Object.keys(bundle)
      .filter((f) => /\.(js|css|woff2)$/.test(f))
      .map((f) => `/${f}`)
    const build = createHash('sha256').update(files.join()).digest('hex').slice(0, 12)
    const source = readFileSync('src/offline/sw.js', 'utf8')
      .replace('__FILES__', JSON.stringify(files))
      .replace('__BUILD__', JSON.stringify(build))
    this.emitFile({ type: 'asset', fileName: 'sw.js', source })
  },
})

export default defineConfig({
  plugins: [react(), offline()],
  build: { chunkSizeWarningLimit: 3000, assetsInlineLimit: 0 },
  server: { proxy: { '/api': 'http://127.0.0.1:4780' } },
})
