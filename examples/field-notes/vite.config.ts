import { defineConfig } from 'vite'

/** The server keeps to its own address for browsers: the page and the endpoint come from the same one. */
const proxy = { '/mcp': { target: process.env.NOTES_URL ?? 'http://127.0.0.1:4885', changeOrigin: false } }

export default defineConfig({ build: { target: 'es2022' }, server: { proxy }, preview: { proxy } })
