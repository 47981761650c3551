/** `npm run example <name> [-- arguments]`: installs and builds what is needed, then runs the example's `npm start`. */
import { spawn } from 'node:child_process'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { prepare, root } from './prepare.mjs'

const [name = '', ...args] = process.argv.slice(2)
const folder = join(root, 'examples', name)
if (!/^[\w-]+$/.test(name) || !existsSync(join(folder, 'package.json'))) {
  const examples = readdirSync(join(root, 'examples')).filter((entry) =>
    existsSync(join(root, 'examples', entry, 'package.json')),
  )
  process.stderr.write(`Usage: npm run example <name>\n`)
  for (const entry of examples) {
    const { description } = JSON.parse(readFileSync(join(root, 'examples', entry, 'package.json'), 'utf8'))
    process.stderr.write(`  ${entry.padEnd(16)} ${description}\n`)
  }
  process.exit(2)
}
prepare()
const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'
const running = spawn(npm, ['start', '--silent', ...(args.length > 0 ? ['--', ...args] : [])], {
  cwd: folder,
  stdio: 'inherit',
  shell: process.platform === 'win32',
})
// The example receives Ctrl-C itself; this process waits for it to end.
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => signal === 'SIGTERM' && running.kill(signal))
running.on('close', (code) => process.exit(code ?? 1))
