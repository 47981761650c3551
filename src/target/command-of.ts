import { packageFile } from '../own-files.js'
import type { ChildCommand } from '../transport/child-wire.js'
import type { Target } from './target.js'

/** The command with which a host would start a target. */
export function commandOf(
  target: Exclude<Target, { kind: 'url' | 'tape' }>,
  serveFlags: readonly string[] = [],
): ChildCommand {
  if (target.kind === 'child') return target.command
  return {
    command: process.execPath,
    args: [packageFile('bin/jexo.mjs'), 'serve', target.file, ...serveFlags],
    env: { ...process.env, ...target.env },
  }
}
