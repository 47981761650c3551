/** `npm start`: runs the apiary over HTTP, and the page. Ctrl-C ends both. */
import { spawn } from 'node:child_process'
import { fileURLToPath } from 'node:url'

const here = (path) => fileURLToPath(new URL(path, import.meta.url))
const port = process.env.PORT ?? '4881'
const hives = process.env.HIVES_PORT ?? '4880'
const start = (args, env = {}) =>
  spawn(process.execPath, args, { cwd: here('.'), stdio: 'inherit', env: { ...process.env, ...env } })

const children = [
  start([here('../../bin/jexo.mjs'), 'serve', here('../apiary/apiary.kit.ts'), '--http', hives]),
  start(
    [here('../../node_modules/vite/bin/vite.js'), 'preview', '--host', '127.0.0.1', '--port', port, '--strictPort'],
    { HIVES_URL: `http://127.0.0.1:${hives}` },
  ),
]
console.log(`The hive board is at http://127.0.0.1:${port}/`)
const end = () => {
  for (const child of children) child.kill('SIGTERM')
}
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, end)
// If one ends, the other is ended too.
for (const child of children)
  child.on('exit', (code) => {
    end()
    process.exitCode ||= code ?? 0
  })
