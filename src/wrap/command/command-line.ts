import { realpathSync } from 'node:fs'
import { dirname, isAbsolute, join, relative, resolve, sep } from 'node:path'
import { Refusal } from '../../kit/refusal.js'
import type { JsonObject } from '../../protocol/messages.js'
import type { DescribedArgument, DescribedCommand } from './description.js'

/** Arguments, input and environment of a program. */
export interface CommandLine {
  readonly args: readonly string[]
  readonly stdin: string | undefined
}

/** Linux limits one argument to 128 KB. */
const longestArgument = 100_000
const longestLine = 1_000_000

/**
 * The arguments of one call as a list: no shell parses them, and no value is read as an option. Throws a `Refusal` for
 * a value for which this is impossible.
 *
 * @param folder true path of the folder that files have to be in
 */
export function commandLine(command: DescribedCommand, input: JsonObject, folder: string): CommandLine {
  const options: string[] = []
  const positions: string[] = []
  let stdin: string | undefined
  for (const [name, argument] of Object.entries(command.arguments ?? {})) {
    const given = input[name] ?? argument.default
    if (given === undefined || given === null) continue
    if (argument.stdin) {
      stdin = String(given)
      continue
    }
    for (const one of Array.isArray(given) ? given : [given]) {
      if (argument.flag === undefined) positions.push(textOf(name, argument, one, folder))
      else options.push(...flagged(name, argument, argument.flag, one, folder))
    }
  }
  const hasSeparator = command.separator !== false
  const loose = hasSeparator ? undefined : positions.find((value) => value.startsWith('-'))
  if (loose !== undefined) throw startsOption(loose)
  const separator = positions.length > 0 && hasSeparator ? ['--'] : []
  const args = [...(command.run ?? []), ...options, ...separator, ...positions]
  if (args.reduce((sum, arg) => sum + arg.length, 0) > longestLine)
    throw new Refusal(`The arguments are longer than ${longestLine} characters together.`)
  return { args, stdin }
}

function flagged(
  name: string,
  argument: DescribedArgument,
  flag: string,
  given: unknown,
  folder: string,
): string[] {
  if (argument.type === 'boolean') return given === true ? [flag] : []
  const value = textOf(name, argument, given, folder)
  const { join: between = flag.startsWith('--') ? '=' : 'space' } = argument
  if (between === '=') return [`${flag}=${value}`]
  if (between === 'nothing') return [`${flag}${value}`]
  // Programs differ in how they interpret it.
  if (value.startsWith('-')) throw startsOption(value)
  return [flag, value]
}

function textOf(name: string, { type }: DescribedArgument, given: unknown, folder: string): string {
  const value = String(given)
  if (value.includes('\0')) throw new Refusal(`"${name}" must not contain a NUL character.`)
  if (value.length > longestArgument) throw new Refusal(`"${name}" is longer than ${longestArgument} characters.`)
  return type === 'file' ? fileBelow(name, value, folder) : value
}

const startsOption = (value: string) =>
  new Refusal(
    `${JSON.stringify(value.slice(0, 100))} begins with a dash, and the program would read it as an option.`,
  )

/** A path below the folder, which need not exist yet; links that lead out of it are refused. */
function fileBelow(name: string, value: string, folder: string): string {
  const wanted = resolve(folder, value)
  const found = truePath(wanted)
  const within = relative(folder, found)
  if (value === '' || within === '..' || within.startsWith(`..${sep}`) || isAbsolute(within))
    throw new Refusal(`"${name}" is not a path in the folder of this tool: ${JSON.stringify(value.slice(0, 200))}`)
  return within === '' ? '.' : within.startsWith('-') ? `./${within}` : within
}

/** The deepest existing folder, with links resolved, and the rest of the path. */
function truePath(path: string): string {
  try {
    return realpathSync(path)
  } catch {
    const parent = dirname(path)
    return parent === path
      ? path
      : join(truePath(parent), path.slice(parent.length + (parent.endsWith(sep) ? 0 : 1)))
  }
}
