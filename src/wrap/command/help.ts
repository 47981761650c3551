import type { CommandDescription, DescribedArgument, DescribedCommand } from './description.js'

/** A subcommand that a help text lists. */
export interface HelpEntry {
  readonly name: string
  readonly about: string
}

const longestHelp = 200_000
const mostOptions = 60
/** Options that run another program or script; these are omitted unless the author adds them. */
const runsOthers =
  /exec|command|program|script|shell|rsh|-pack$|config|eval|plugin|hook|checkpoint|pager|editor|template/i

/** The options that a help text lists, as arguments. Pure. */
export function argumentsIn(help: string): Record<string, DescribedArgument> {
  const found: Record<string, DescribedArgument> = {}
  for (const line of help.slice(0, longestHelp).split('\n')) {
    if (line.length > 500 || Object.keys(found).length >= mostOptions) continue
    const [, short, long, value, about] =
      /^ {1,12}(-[A-Za-z0-9])?(?:, {0,4}|\/|\|)? {0,6}(--(?:\[no-\])?[A-Za-z0-9][A-Za-z0-9-]*)?(?:[ =]\[?=?(<[^<>]{1,40}>|\[[^[\]]{1,40}\]|[A-Z][A-Z_-]{1,20})\]?)?(?: {2,}|\t)(\S.*)$/.exec(
        line,
      ) ?? []
    const flag = long?.replace('[no-]', '') ?? short
    if (flag === undefined || /^--?(help|version|h|V)$/.test(flag) || runsOthers.test(flag)) continue
    const name = flag.replace(/^-+/, '').replaceAll('-', '_')
    if (Object.hasOwn(found, name) || !/^[A-Za-z]\w*$/.test(name)) continue
    found[name] = { flag, ...(value === undefined ? { type: 'boolean' } : {}), about: sentence(about ?? name) }
  }
  return found
}

/** The subcommands that a help text lists, below a heading such as `Commands:`. Pure. */
export function subcommandsIn(help: string): HelpEntry[] {
  const found: HelpEntry[] = []
  let isListing = false
  for (const line of help.slice(0, longestHelp).split('\n')) {
    if (/^\S.*:?\s*$/.test(line)) isListing = /commands?\b|^[a-z ].*\(see also/i.test(line)
    const [, name, about] = /^ {2,8}([a-z][a-z0-9-]{0,30})(?:, [a-z-]+)? {2,}(\S.*)$/.exec(line) ?? []
    if (isListing && name !== undefined && about !== undefined && name !== 'help' && found.length < 50)
      found.push({ name, about: sentence(about) })
  }
  return found
}

/** The sentence of a help text that describes the program. Pure. */
export function aboutIn(help: string): string | undefined {
  const lines = help.slice(0, longestHelp).split('\n').slice(0, 15)
  const at = lines.findIndex((line) => /^[A-Z][^:]{20,}$/.test(line) && !/^usage/i.test(line))
  if (at < 0) return undefined
  const paragraph =
    lines
      .slice(at)
      .join('\n')
      .split(/\n\s*\n/)[0]
      ?.replace(/\s+/g, ' ') ?? ''
  return sentence(paragraph.split(/(?<=\.) /)[0] ?? '')
}

/**
 * A manual page in the form of a help text: the description of the program, and a line for each option with the first
 * line of its description. Pure.
 */
export function helpInManual(page: string): string {
  // Bold letters are written twice.
  const lines = page.slice(0, longestHelp).replace(/.[\b]/g, '').split('\n')
  const about = lines
    .map((line) => /^ +[\w.-]+ (?:-|–|—) (\S.{3,200})$/.exec(line)?.[1])
    .find((one) => one !== undefined)
  const options = lines.flatMap((line, at) => {
    const [, indent = '', option] = /^( {3,8})(-.{0,80}\S)$/.exec(line) ?? []
    if (option === undefined || / {2}/.test(option)) return [line]
    const below = lines.slice(at + 1, at + 6)
    const end = below.findIndex((one) => one.trim() === '' || one.search(/\S/) <= indent.length)
    const text = below.slice(0, end < 0 ? undefined : end).map((one) => one.trim())
    return text.length === 0 ? [line] : [`  ${option}  ${text.join(' ').slice(0, 300)}`]
  })
  const first = about === undefined ? [] : [sentence(`${about.slice(0, 1).toUpperCase()}${about.slice(1)}`), '']
  return [...first, ...options].join('\n')
}

/** A draft of a description: one tool for each subcommand, or one for the program. Pure. */
export function describedBy(
  program: string,
  about: string,
  helps: readonly (HelpEntry & { help: string })[],
  own: string,
): CommandDescription {
  const base =
    program
      .split(/[\\/]/)
      .at(-1)
      ?.replace(/[^A-Za-z0-9]+/g, '_') ?? 'program'
  const commands: DescribedCommand[] =
    helps.length > 0
      ? helps.map(({ name, about: does, help }) => ({
          tool: `${base}_${name.replaceAll('-', '_')}`,
          about: does,
          run: [name],
          arguments: { ...argumentsIn(help), ...positionals },
        }))
      : [{ tool: `run_${base}`, about, arguments: { ...argumentsIn(own), ...positionals } }]
  return { version: 1, program, commands }
}

const positionals: Record<string, DescribedArgument> = {
  operands: { about: 'Operands after the options', repeat: true },
}

const sentence = (text: string): string => {
  const line = text.replace(/\s+/g, ' ').trim().slice(0, 300)
  return /[.!?]$/.test(line) ? line : `${line}.`
}
