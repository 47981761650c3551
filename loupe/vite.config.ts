import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  build: { outDir: '../dist/loupe/page', emptyOutDir: true, chunkSizeWarningLimit: 1200 },
})
