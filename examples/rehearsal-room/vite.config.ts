import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig(({ isSsrBuild }) => ({
  logLevel: 'warn',
  plugins: [react()],
  // The backend is compiled, and what it imports stays where it is installed.
  ...(isSsrBuild
    ? { ssr: { external: true as const } }
    : { build: { outDir: 'dist/page', emptyOutDir: true, chunkSizeWarningLimit: 1200 } }),
}))
