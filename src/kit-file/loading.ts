import { fileURLToPath } from 'node:url'
import { escapeControls } from '../escape/terminal.js'
import { kitFileErrors } from './errors.js'

/** After this time, a message says that a file is still loading. */
const sayAfterMs = 2000
const defaultLimitMs = 30_000

/** The files that are being loaded, the latest last. */
const loading: string[] = []
/** Jexo's own folder, whose stack frames are left out. */
const ownFolder = fileURLToPath(new URL('..', import.meta.url))

/**
 * Loads a file of the author. Rejects with a `JexoError` if that takes longer than `JEXO_LOAD_TIMEOUT_MS`, or if the
 * file ends the process. If the process ends anyway, such as when nothing is left in its event loop, it says so and
 * exits with code 2.
 */
export async function withinLimit<T>(shown: string, load: () => Promise<T>): Promise<T> {
  const limitMs = loadLimitOf(process.env.JEXO_LOAD_TIMEOUT_MS)
  const say = setTimeout(
    () => process.stderr.write(`jexo: still loading ${escapeControls(shown)} …\n`),
    Math.min(sayAfterMs, limitMs),
  )
  if (loading.push(shown) === 1) watchExit()
  let limit: NodeJS.Timeout | undefined
  try {
    const tooLong = new Promise<never>((_resolve, reject) => {
      limit = setTimeout(() => reject(kitFileErrors.kitFileSlow(shown, limitMs)), limitMs)
    })
    return await Promise.race([load(), tooLong])
  } finally {
    loading.splice(loading.indexOf(shown), 1)
    if (loading.length === 0) stopWatching()
    clearTimeout(say)
    clearTimeout(limit)
  }
}

let stopWatching = () => {}

/** While files are loading, only Jexo may end the process. Several may load at once. */
function watchExit(): void {
  const { exit } = process
  const latest = () => loading.at(-1) ?? 'a file'
  const ended = (code: number) => {
    process.stderr.write(`error ${escapeControls(kitFileErrors.kitFileEnds(latest(), code).message)}\n`)
    process.exitCode = 2
  }
  stopWatching = () => {
    process.exit = exit
    process.removeListener('exit', ended)
  }
  process.once('exit', ended)
  process.exit = ((code?: number) => {
    const caller = new Error().stack?.split('\n')[2] ?? ''
    if (caller.includes(ownFolder)) {
      stopWatching()
      return exit(code)
    }
    throw kitFileErrors.kitFileEnds(latest(), Number(code ?? 0))
  }) as typeof process.exit
}

/** The limit that `JEXO_LOAD_TIMEOUT_MS` sets, in milliseconds. */
export function loadLimitOf(text: string | undefined): number {
  const value = Number(text)
  return Number.isInteger(value) && value > 0 && value < 2 ** 31 ? value : defaultLimitMs
}
