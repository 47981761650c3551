import { kitErrors } from '../../kit/errors.js'
import type { Environment } from '../../kit/settings.js'
import { readLimits } from '../limits.js'
import { jsonLog, textLog } from '../log.js'
import type { RunOptions } from '../options.js'
import { numberVariable } from './worker.js'

/**
 * Serves by several processes, which run the same command line, where that is asked for and this is not one of them. Returns the exit code; undefined where this
 * process is to serve itself.
 */
export async function serveByWorkers(
  { workers, log: { form, level }, metrics, sshTunnel }: RunOptions,
  environment: Environment,
  /** What cannot be done by several. */
  alone: readonly string[] = [],
): Promise<number | undefined> {
  if (workers === undefined || process.env[numberVariable] !== undefined) return undefined
  const [first] = [...alone, ...(sshTunnel ? ['--ssh-tunnel'] : [])]
  if (first !== undefined) throw kitErrors.argumentUnreadable(`${first} with --workers`, 'one of the two')
  const { runWorkers } = await import('./primary.js')
  return runWorkers({
    count: workers,
    log: form === 'json' ? await jsonLog(level, {}) : textLog(level),
    metrics: typeof metrics === 'object' ? metrics : undefined,
    drainMs: readLimits(environment).drainMs ?? 5000,
  })
}
