import { kitFileErrors } from './errors.js'

/** After so long it is said that a file is still being loaded. */
const sayAfterMs = 2000
const defaultLimitMs = 30_000

/**
 * Loads a file of the author's. Rejects with a `JexoError` where that takes longer than `JEXO_LOAD_TIMEOUT_MS`, or the file ends the
 * process. A process that ends all the same, such as when nothing is left that could wake it, says so and ends with exit code 2.
 */
export async function withinLimit<T>(shown: string, load: () => Promise<T>): Promise<T> {
  const limitMs = limitOf(process.env.JEXO_LOAD_TIMEOUT_MS)
  const say = setTimeout(
    () => process.stderr.write(`jexo: still loading ${shown} …\n`),
    Math.min(sayAfterMs, limitMs),
  )
  const ended = (code: number) => {
    process.stderr.write(`error ${kitFileErrors.kitFileEnds(shown, code).message}\n`)
    process.exitCode = 2
  }
  process.once('exit', ended)
  const { exit } = process
  process.exit = ((code?: number) => {
    throw kitFileErrors.kitFileEnds(shown, Number(code ?? 0))
  }) as typeof process.exit
  let limit: NodeJS.Timeout | undefined
  try {
    const tooLong = new Promise<never>((_resolve, reject) => {
      limit = setTimeout(() => reject(kitFileErrors.kitFileSlow(shown, limitMs)), limitMs)
    })
    return await Promise.race([load(), tooLong])
  } finally {
    process.exit = exit
    process.removeListener('exit', ended)
    clearTimeout(say)
    clearTimeout(limit)
  }
}

function limitOf(text: string | undefined): number {
  const value = Number(text)
  return Number.isInteger(value) && value > 0 && value < 2 ** 31 ? value : defaultLimitMs
}
