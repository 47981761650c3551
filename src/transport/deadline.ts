import { createContext, Script } from 'node:vm'

/** An operation that did not end in time. */
export class DeadlineExceeded extends Error {
  constructor(ms: number) {
    super(`it took longer than ${ms} ms`)
  }
}

/**
 * Runs a function that depends on input of a peer, such as a check with its pattern, and stops it after a time limit
 * even if it blocks. Throws a `DeadlineExceeded` then.
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

/** Created at first use: only scripts in a separate context can have a time limit. */
let holder: { context: import('node:vm').Context; script: Script } | undefined
