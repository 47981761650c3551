import { existsSync, writeFileSync } from 'node:fs'
import { basename, dirname, join, resolve } from 'node:path'
import { Document } from 'yaml'
import { type CommandDescription, checkedCommands, readCommands } from '../command/description.js'
import { commandErrors } from '../command/errors.js'
import { aboutIn, argumentsIn, describedBy, helpInManual, subcommandsIn } from '../command/help.js'
import { planCommands } from '../command/plan.js'
import { runProgram } from '../command/run-program.js'
import { optionLine, type WrapKit, wrapKitEntry } from '../kit-writer/wrap-kit.js'
import { changesSince, fingerprint } from '../kit-writer/written-kit.js'
import type { Preview, SourceOptions } from './preview.js'

export const programPrefix = 'command:'

/** A described program, or one whose help texts become a draft of a description. */
export async function previewCommand(source: string, options: SourceOptions): Promise<Preview> {
  const isProgram = source.startsWith(programPrefix)
  const description = isProgram ? await describe(source.slice(programPrefix.length)) : await readCommands(source)
  const plan = planCommands(description, options)
  const tools = Object.fromEntries(plan.tools.map((one) => [one.name, fingerprint(one)]))
  const fileFor = (outFile: string) =>
    isProgram
      ? join(dirname(resolve(outFile)), `${basename(description.program).replace(/[^\w.-]+/g, '_')}.commands.yaml`)
      : source
  return {
    form: 'command',
    plan,
    isEmpty: plan.tools.length === 0,
    written: (outFile) => (isProgram ? [basename(fileFor(outFile))] : []),
    writeBeside: (outFile) => {
      // An edited description is not overwritten.
      if (isProgram && !existsSync(fileFor(outFile))) writeFileSync(fileFor(outFile), descriptionText(description))
    },
    entry: (variable) => {
      const kitIn = (outFile: string): WrapKit => ({
        kind: 'command',
        source: fileFor(outFile),
        options: { ...options },
        // Files stay below the kit, wherever a host starts it.
        optionLines: [
          "  folder: new URL('./', import.meta.url),\n",
          ...Object.entries(options).map(([name, value]) => optionLine(name, value)),
        ],
        about: `Runs ${description.program}.`,
        settings: [],
        tools,
      })
      return {
        section: (outFile, names) => wrapKitEntry(kitIn(outFile), variable).section(outFile, names),
        mark: (outFile) => wrapKitEntry(kitIn(outFile), variable).mark(outFile),
      }
    },
    changesSince: (outFile) => changesSince(outFile, { kind: 'command', source: fileFor(outFile) }, tools),
  }
}

const helpLimits = { timeoutMs: 5000, maxBytes: 500_000 }

/** Runs `--help` of the program and its subcommands. Rejects with a `JexoError` if there is no help text. */
async function describe(program: string): Promise<CommandDescription> {
  const textOf = async (reader: string, ...words: string[]) => {
    const run = {
      program: reader,
      args: words,
      stdin: undefined,
      cwd: process.cwd(),
      env: environment(),
      ...helpLimits,
    }
    const ran = await runProgram({ ...run, signal: AbortSignal.timeout(helpLimits.timeoutMs * 2) })
    return `${ran.stdout.toString()}\n${ran.stderr}`
  }
  const helpOf = (...words: string[]) => textOf(program, ...words)
  /** Some programs show a manual for `--help`, and the options for `-h`. */
  const subcommandHelp = async (name: string) => {
    const long = await helpOf(name, '--help').catch(() => '')
    return Object.keys(argumentsIn(long)).length > 0 ? long : helpOf(name, '-h').catch(() => '')
  }
  const help = await helpOf('--help')
  const isTelling = (text: string) => subcommandsIn(text).length > 0 || Object.keys(argumentsIn(text)).length > 0
  const own = isTelling(help) ? help : await manualOf(program, textOf)
  const subcommands = subcommandsIn(own)
  if (!isTelling(own)) throw commandErrors.withoutHelp(program)
  const helps = []
  for (const entry of subcommands) helps.push({ ...entry, help: await subcommandHelp(entry.name) })
  return checkedCommands(describedBy(program, aboutIn(own) ?? `Runs ${program}.`, helps, own), program)
}

/** The manual page of a program, in the form of a help text. Empty if there is none. */
async function manualOf(
  program: string,
  textOf: (reader: string, ...words: string[]) => Promise<string>,
): Promise<string> {
  const page = await textOf('man', '--', basename(program)).catch(() => '')
  return helpInManual(page)
}

function environment(): Record<string, string> {
  const entries = Object.entries(process.env).filter((entry): entry is [string, string] => entry[1] !== undefined)
  return {
    ...Object.fromEntries(entries),
    PAGER: 'cat',
    MANPAGER: 'cat',
    GIT_PAGER: 'cat',
    TERM: 'dumb',
    COLUMNS: '200',
  }
}

function descriptionText(description: CommandDescription): string {
  const document = new Document(description, { aliasDuplicateObjects: false })
  document.commentBefore = [
    ' A program, and its calls that become tools (schemas/commands.schema.json).',
    ' Written from its help text. Keep the calls that a model should make. For each, set the effect (read, add, change or remove)',
    ' and the output (text, json, lines or bytes). Options that run other programs are left out.',
  ].join('\n')
  return document.toString({ lineWidth: 120 })
}
