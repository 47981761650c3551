import { Command } from 'commander'
import { isJexoError, problems } from '../errors.js'
import { type LoupeService, startLoupe } from '../loupe/start.js'
import { readTarget, type Target } from '../target/target.js'
import { out, say } from './output.js'
import { type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends TargetFlags {
  port: string
}

export const loupe = () =>
  new Command('loupe')
    .description('Opens the inspector page for one or more servers.')
    .argument('<target...>', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
    .option('--port <port>', 'port of the page on this machine', '4871')
    .option('--header <name: value>', 'send a header with every request', (value, before: string[] = []) => [
      ...before,
      value,
    ])
    .option('--env <NAME=value>', 'set a variable for commands', (value, before: string[] = []) => [
      ...before,
      value,
    ])
    .option('--cwd <folder>', 'start commands in this folder')
    .addHelpText('after', '\nExample: jexo loupe apiary.kit.ts')
    .action(async (texts: string[], flags: Flags) => {
      const port = Number(flags.port)
      if (!Number.isInteger(port) || port < 0 || port > 65_535) {
        throw problems.argumentUnreadable(`--port ${flags.port}`, 'a port, such as 4871')
      }
      const targets: Target[] = []
      for (const text of texts) targets.push(await readTarget(text, targetOptions(flags)))
      const service = await startOnFreePort(targets, port)
      out(service.url)
      say('Open this link; the page is for this machine only. Ctrl-C ends it.')
      await untilSignal()
      await service.close()
    })

/** Starts at the wanted port, or says that it is taken and uses the next free one. */
export async function startOnFreePort(targets: readonly Target[], wanted: number): Promise<LoupeService> {
  for (let port = wanted; ; port++) {
    try {
      return await startLoupe(targets, port)
    } catch (error) {
      if (!isJexoError(error) || error.code !== 'port-taken' || port > wanted + 20) throw error
      say(`Port ${port} is in use; trying ${port + 1}.`)
    }
  }
}

export function untilSignal(): Promise<void> {
  return new Promise((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => resolve())
  })
}
