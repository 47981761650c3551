import { spawn } from 'node:child_process'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import { parseArgs } from 'node:util'
import { startProvider } from './identity/provider.mjs'

const { values } = parseArgs({
  options: {
    port: { type: 'string', default: '4884' },
    'identity-port': { type: 'string', default: '4885' },
  },
})
const url = `http://127.0.0.1:${values.port}/mcp`
const { issuer, close } = await startProvider({ port: Number(values['identity-port']), resource: url })
const jexo = join(dirname(createRequire(import.meta.url).resolve('jexo/package.json')), 'bin', 'jexo.mjs')
const kit = join(import.meta.dirname, 'gated.kit.ts')
process.stdout.write(`authorization server  ${issuer}
server                ${url}

Wilma is a warden, Odo a keeper, Fay a visitor. In another terminal:
  jexo sign-in ${url}                    # choose who you are in the browser
  jexo call ${url} who_am_i
  jexo call ${url} weigh_hive hive=ML-04
  jexo call ${url} move_hive hive=ML-04 "site=Orchard End"    # asks for one more scope; Fay cannot have it
  jexo sign-in ${url} --explain          # every step of a sign-in

`)
const serving = spawn(
  process.execPath,
  [jexo, 'serve', kit, '--http', values.port, '--issuer', issuer, '--scopes', 'hives.read'],
  { stdio: ['ignore', 'inherit', 'inherit'] },
)
// The example receives Ctrl-C itself; this process waits for it to end.
process.on('SIGINT', () => {})
process.on('SIGTERM', () => serving.kill('SIGTERM'))
serving.on('close', async (code) => {
  await close()
  process.exit(code ?? 1)
})
