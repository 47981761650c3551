import { defineConfig } from 'vite'

/** The server is built as one file; its dependencies are loaded from where they are installed. */
export default defineConfig({
  build: { ssr: 'server.js', outDir: 'dist', emptyOutDir: true },
  ssr: { external: true },
})
