import { realpathSync, statSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { kitErrors } from '../../kit/errors.js'
import type { Part } from '../../kit/part.js'
import type { JsonObject } from '../../protocol/messages.js'
import { frozenOr } from '../source/frozen.js'
import { wrapRegistry } from '../source/registry.js'
import { sourceFile } from '../source/source.js'
import { type CommandDescription, checkedCommands, readCommands } from './description.js'
import { programEnvironment } from './environment.js'
import { commandPartsOf, type ProgramPlace } from './parts.js'
import { type CommandPlan, type CommandPlanOptions, planCommands } from './plan.js'

export interface WrapCommandOptions extends CommandPlanOptions {
  /**
   * Folder in which the program runs, and below which files must be: `URL` or absolute path. Default: the current
   * folder.
   */
  readonly folder?: URL | string
  /** Variables of the program, in addition to `PATH`, `HOME`, `LANG` and `TMPDIR`; names without a value are copied from this process. */
  readonly env?: Readonly<Record<string, string>> | readonly string[]
  /** User and group of the process, by number; only root can change them. */
  readonly uid?: number
  readonly gid?: number
  /** Default: 60,000. */
  readonly timeoutMs?: number
  /** Maximum output. Default: 1,000,000. */
  readonly maxBytes?: number
}

/**
 * Turns calls of a command-line program into tools, by a description: a `.commands.yaml` file, or its content. No shell
 * is involved, values are never read as options, and files must be below one folder.
 *
 * Rejects with a `JexoError` if the description is not valid, the folder is missing, or a name matches nothing.
 *
 * @example parts: await wrapCommand(new URL('./git.commands.yaml', import.meta.url), { folder: new URL('./repository/', import.meta.url) })
 */
export async function wrapCommand(
  description: URL | string | CommandDescription,
  options: WrapCommandOptions = {},
): Promise<Part[]> {
  const plan = await planCommand(description, options)
  return commandPartsOf(plan, placeOf(options))
}

/** Returns the plan, as `jexo wrap` shows it. */
export function planCommand(
  description: URL | string | CommandDescription,
  { only, except, prefix, tags }: CommandPlanOptions = {},
): Promise<CommandPlan> {
  const options = {
    ...(only ? { only } : {}),
    ...(except ? { except } : {}),
    ...(prefix === undefined ? {} : { prefix }),
    ...(tags ? { tags } : {}),
  }
  if (typeof description !== 'string' && !(description instanceof URL))
    return checkedCommands(description, 'the description').then((checked) => planCommands(checked, options))
  const file = sourceFile(description)
  return frozenOr('command', description, options as JsonObject, async () => {
    wrapRegistry().onSource?.(file)
    return planCommands(await readCommands(file), options)
  })
}

const defaults = { timeoutMs: 60_000, maxBytes: 1_000_000 }

function placeOf({
  folder = process.cwd(),
  env = {},
  uid,
  gid,
  timeoutMs,
  maxBytes,
}: WrapCommandOptions): ProgramPlace {
  const path = folder instanceof URL ? fileURLToPath(folder) : folder
  if (!statSync(path, { throwIfNoEntry: false })?.isDirectory())
    throw kitErrors.partField('the wrapped command', 'folder', `a folder that exists, not ${path}`)
  return {
    folder: realpathSync(path),
    env: programEnvironment(env),
    uid,
    gid,
    timeoutMs: timeoutMs ?? defaults.timeoutMs,
    maxBytes: maxBytes ?? defaults.maxBytes,
  }
}
