import { writeSync } from 'node:fs'
import { atFile, loadKit } from '../../kit-file/kit-file.js'
import { startSdk } from '../../telemetry/sdk.js'
import { runOnNode } from '../../transport/node-run.js'
import { runStdio } from '../../transport/stdio.js'
import { failureOf, type LoadReport, reportDescriptor } from './report.js'

/**
 * The process of a kit that a command works on: `node kit-process.js <kit file> [show-upstream] [without-layers]`. It serves the kit on stdin and stdout,
 * after it has told on descriptor 3 whether the kit could be loaded.
 */
const [file = '', ...modes] = process.argv.slice(2)

// What the kit starts is not to take the cache of this process for its own.
delete process.env.NODE_COMPILE_CACHE
const report = (loaded: LoadReport) => writeSync(reportDescriptor, `${JSON.stringify(loaded)}\n`)

// The command decides what Ctrl-C ends; both hear of it on a terminal.
process.on('SIGINT', () => {})
try {
  const kit = await loadKit(file)
  const { name, version } = kit
  const stopSdk = await startSdk({ service: { name, version }, warn: (text) => console.error(text) })
  const running = await atFile(file, () =>
    runOnNode(kit, {
      showsUpstream: modes.includes('show-upstream'),
      withoutLayers: modes.includes('without-layers'),
    }),
  )
  report({ isReady: true })
  await runStdio(running)
  await stopSdk?.()
  process.exit(0)
} catch (error) {
  report(failureOf(error))
  process.exit(2)
}
