import { defineConfig } from 'vite'

/** The server accepts browsers only from its own address, so the page and the endpoint share one origin. */
const proxy = { '/mcp': { target: process.env.NOTES_URL ?? 'http://127.0.0.1:4885', changeOrigin: false } }

export default defineConfig({ build: { target: 'es2022' }, server: { proxy }, preview: { proxy } })
