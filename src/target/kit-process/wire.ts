import * as nodeModules from 'node:module'
import { dirname } from 'node:path'
import { kitFileErrors } from '../../kit-file/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { loadLimitOf } from '../../kit-file/loading.js'
import type { WireHandlers } from '../../link/wire.js'
import { compiledFile } from '../../own-files.js'
import { isRequest, isResponse, type Message } from '../../protocol/messages.js'
import { ChildWire, type ChildWireOptions } from '../../transport/child-wire.js'
import { errorOf, readReport } from './report.js'

/** Time limits for the process to end, with and without pending requests. */
const graceMs = { idle: 5000, busy: 500 }
/** A kit that blocks its thread while it is loaded cannot report that itself. */
const slackMs = 1000

/** The kit process shares the compile cache of this process; older versions of Node have none. */
function compileCache(): { NODE_COMPILE_CACHE?: string } {
  const folder = (nodeModules as { getCompileCacheDir?: () => string | undefined }).getCompileCacheDir?.()
  return folder === undefined ? {} : { NODE_COMPILE_CACHE: dirname(folder) }
}

export interface KitProcessOptions extends ChildWireOptions {
  showsUpstream?: boolean
  withoutLayers?: boolean
  env?: Readonly<Record<string, string | undefined>>
}

/** A connection to a kit in a separate process, so that a blocking or ending kit does not affect the command. */
export class KitProcessWire extends ChildWire {
  override readonly label: string
  readonly #pending = new Set<unknown>()
  #loaded: { resolve: () => void; reject: (error: Error) => void } | undefined

  constructor(
    path: string,
    { showsUpstream = false, withoutLayers = false, env = {}, ...options }: KitProcessOptions = {},
  ) {
    super(
      {
        command: process.execPath,
        args: [
          compiledFile('command/kit-process.js'),
          path,
          ...(showsUpstream ? ['show-upstream'] : []),
          ...(withoutLayers ? ['without-layers'] : []),
        ],
        env: { ...process.env, ...compileCache(), ...env },
      },
      { ...options, aside: { hear: (line) => this.#hear(line) } },
    )
    this.label = shownPath(path)
    // Whatever ends this process also ends the kit process.
    process.once('exit', () => this.kill())
  }

  /** Resolves when the kit is loaded; rejects as `loadKit` does. */
  override async start(handlers: WireHandlers): Promise<void> {
    const loaded = new Promise<void>((resolve, reject) => {
      this.#loaded = { resolve, reject }
    })
    loaded.catch(() => {})
    const limitMs = loadLimitOf(process.env.JEXO_LOAD_TIMEOUT_MS)
    const timer = setTimeout(
      () => this.#loaded?.reject(kitFileErrors.kitFileSlow(this.label, limitMs)),
      limitMs + slackMs,
    )
    try {
      await super.start({
        ...handlers,
        receive: (message) => {
          if (isResponse(message)) this.#pending.delete(message.id)
          handlers.receive(message)
        },
        closed: (why) => {
          this.#loaded?.reject(kitFileErrors.kitFileBroken(this.label, why))
          handlers.closed(why)
        },
      })
      await loaded
    } catch (error) {
      this.kill()
      throw error
    } finally {
      clearTimeout(timer)
    }
  }

  override send(message: Message): Promise<void> {
    if (isRequest(message)) this.#pending.add(message.id)
    return super.send(message)
  }

  override close(): Promise<void> {
    return super.close(this.#pending.size > 0 ? graceMs.busy : graceMs.idle)
  }

  #hear(line: string): void {
    const report = readReport(line)
    if (!report) return
    if ('failed' in report) this.#loaded?.reject(errorOf(report.failed))
    else this.#loaded?.resolve()
  }
}
