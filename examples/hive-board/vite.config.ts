import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

/** The server accepts browsers only from its own address, so the page and the endpoint share one origin. */
const proxy = { '/mcp': { target: process.env.HIVES_URL ?? 'http://127.0.0.1:4880', changeOrigin: false } }

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 1800 },
  server: { proxy },
  preview: { proxy },
})
