import { defineConfig } from 'vite'

/** A server is built as one: what it imports stays where it is installed. */
export default defineConfig({
  build: { ssr: 'server.js', outDir: 'dist', emptyOutDir: true },
  ssr: { external: true },
})
