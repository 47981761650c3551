import { SqlFailure, type SqlRequest } from './driver.js'

/** How to stop a statement on a server, and what to do if that fails. */
export interface Interruption {
  /** Asks the server to stop it. */
  stop(): Promise<void>
  /** Closes the connection. */
  giveUp(): void
  isGivenUp?: boolean
}

/** How long a server may take to confirm that it has stopped. */
const graceMs = 2000

/**
 * Runs a statement that is stopped with its call or at its time limit: the server is asked to stop, and the connection
 * is closed if it does not respond.
 */
export async function interruptible<T>(
  { timeoutMs, signal }: Pick<SqlRequest, 'timeoutMs' | 'signal'>,
  interruption: Interruption,
  run: () => Promise<T>,
): Promise<T> {
  if (signal?.aborted) throw new SqlFailure('cancelled', 'the call was cancelled')
  let why: SqlFailure | undefined
  let giveUp: (failure: SqlFailure) => void = () => {}
  const givenUp = new Promise<never>((_resolve, reject) => (giveUp = reject))
  givenUp.catch(() => {})
  let grace: NodeJS.Timeout | undefined
  const stop = (failure: SqlFailure) => {
    if (why) return
    why = failure
    interruption.stop().catch(() => {})
    grace = setTimeout(() => {
      interruption.isGivenUp = true
      interruption.giveUp()
      giveUp(failure)
    }, graceMs)
  }
  const onAbort = () => stop(new SqlFailure('cancelled', 'the call was cancelled'))
  signal?.addEventListener('abort', onAbort, { once: true })
  const timer = setTimeout(() => stop(new SqlFailure('timeout', `stopped after ${timeoutMs} ms`)), timeoutMs)
  try {
    const running = run()
    running.catch(() => {})
    return await Promise.race([running, givenUp])
  } catch (error) {
    throw why ?? error
  } finally {
    clearTimeout(timer)
    clearTimeout(grace)
    signal?.removeEventListener('abort', onAbort)
  }
}
