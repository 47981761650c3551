import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig(({ isSsrBuild }) => ({
  logLevel: 'warn',
  plugins: [react()],
  // Compiles the backend; its dependencies are loaded from where they are installed.
  ...(isSsrBuild
    ? { ssr: { external: true as const } }
    : { build: { outDir: 'dist/page', emptyOutDir: true, chunkSizeWarningLimit: 1200 } }),
}))
