import { createContext, Script } from 'node:vm'

/** What did not end in time. */
export class DeadlineExceeded extends Error {
  constructor(ms: number) {
    super(`it took longer than ${ms} ms`)
  }
}

/**
 * Runs a function that others have a say in, such as a check by a pattern from a peer, and stops it after a time though it never gives way.
 * Throws a `DeadlineExceeded` then.
 */
export function withinDeadline<T>(ms: number, run: () => T): T {
  holder ??= { context: createContext({ run: undefined as unknown }), script: new Script('run()') }
  const { context, script } = holder
  const before = context.run
  context.run = run
  try {
    return script.runInContext(context, { timeout: ms }) as T
  } catch (error) {
    if ((error as NodeJS.ErrnoException | null)?.code === 'ERR_SCRIPT_EXECUTION_TIMEOUT')
      throw new DeadlineExceeded(ms)
    throw error
  } finally {
    context.run = before
  }
}

/** Made at first use: a context of its own is where a script can be timed. */
let holder: { context: import('node:vm').Context; script: Script } | undefined
