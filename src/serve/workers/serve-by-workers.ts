import { kitErrors } from '../../kit/errors.js'
import type { Environment } from '../../kit/settings.js'
import { readLimits } from '../limits.js'
import { jsonLog, textLog } from '../log.js'
import type { RunOptions } from '../options.js'
import { numberVariable } from './worker.js'

/**
 * Serves with several processes that run the same command line, if that is requested and this process is not one of
 * them. Returns the exit code; undefined if this process should serve.
 */
export async function serveByWorkers(
  { workers, log: { form, level }, metrics, sshTunnel }: RunOptions,
  environment: Environment,
  /** Options that are incompatible with several processes. */
  alone: readonly string[] = [],
): Promise<number | undefined> {
  if (workers === undefined || process.env[numberVariable] !== undefined) return undefined
  const [first] = [...alone, ...(sshTunnel ? ['--ssh-tunnel'] : [])]
  if (first !== undefined)
    throw kitErrors.argumentUnreadable(`${first} with --workers`, 'only one of these options')
  const { runWorkers } = await import('./primary.js')
  return runWorkers({
    count: workers,
    log: form === 'json' ? await jsonLog(level, {}) : textLog(level),
    metrics: typeof metrics === 'object' ? metrics : undefined,
    drainMs: readLimits(environment).drainMs ?? 5000,
  })
}
