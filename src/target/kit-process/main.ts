import { writeSync } from 'node:fs'
import { atFile, loadKit } from '../../kit-file/kit-file.js'
import { startSdk } from '../../telemetry/sdk.js'
import { runOnNode } from '../../transport/node-run.js'
import { runStdio } from '../../transport/stdio.js'
import { failureOf, type LoadReport, reportDescriptor } from './report.js'

/**
 * The process of a kit for commands: `node kit-process.js <kit file> [show-upstream] [without-layers]`. It reports on
 * descriptor 3 whether the kit was loaded, and then serves it on stdin and stdout.
 */
const [file = '', ...modes] = process.argv.slice(2)

// Child processes of the kit must not use the compile cache of this process.
delete process.env.NODE_COMPILE_CACHE
const report = (loaded: LoadReport) => writeSync(reportDescriptor, `${JSON.stringify(loaded)}\n`)

// On a terminal both processes receive Ctrl-C; the command decides what it ends.
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
