/** `npm run demo`: installs and builds if needed, then runs the demo in this terminal. */
import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { prepare, prepareExamples, root } from './prepare.mjs'

prepare()
prepareExamples(['rehearsal-room'])
const demo = spawn(process.execPath, [join(root, 'bin/jexo.mjs'), 'demo', ...process.argv.slice(2)], {
  stdio: 'inherit',
})
// The demo receives Ctrl-C itself; this process waits for it to end.
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => signal === 'SIGTERM' && demo.kill(signal))
demo.on('close', (code) => process.exit(code ?? 1))
