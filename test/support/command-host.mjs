/**
 * Runs commands one after the other in one process, since starting Node and loading Jexo takes longer than most of them. After a
 * command it writes the mark that it received to both streams, so that the reader knows where its output ends.
 */
import { runCommand } from '../../dist/command/main.js'

const stdout = process.stdout.write.bind(process.stdout)

process.on('message', async ({ args, mark, cwd, env }) => {
  for (const name of Object.keys(process.env)) if (!(name in env)) delete process.env[name]
  Object.assign(process.env, env)
  process.chdir(cwd)
  const code = await runCommand([process.execPath, 'jexo', ...args])
  for (const signal of ['SIGINT', 'SIGTERM']) process.removeAllListeners(signal)
  stdout(mark)
  process.stderr.write(mark)
  process.send({ code })
})
process.on('disconnect', () => process.exit())
