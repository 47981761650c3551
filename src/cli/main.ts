import { Command, CommanderError } from 'commander'
import { isJexoError } from '../errors.js'
import { isObject } from '../protocol/messages.js'
import { RpcError } from '../protocol/rpc-error.js'
import { installStdoutGuard } from '../transport/stdout-guard.js'
import { version } from '../version.js'
import { keepKitsApart } from './options/kits-apart.js'
import { endBySecondInterrupt } from './terminal/last-resort.js'
import { errorColours, errorValue, Failed, out, outJson, say } from './terminal/output.js'
import { type VerbName, verbTexts } from './text/verb-texts.js'

/** Runs the command line and ends the process with its exit code. */
export async function main(argv: readonly string[]): Promise<void> {
  keepKitsApart()
  endBySecondInterrupt()
  if (argv[2] !== 'serve') endWhenNobodyReads()
  await finish(await runCommand(argv))
}

/** `jexo show … | head` closes the pipe early, which is not an error. */
function endWhenNobodyReads(): void {
  process.stdout.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error
    process.exit()
  })
}

/** Runs the command line; returns the exit code: 0 success, 1 operation failed, 2 usage or connection error. */
export async function runCommand(argv: readonly string[]): Promise<number> {
  installStdoutGuard()
  const isVerbose = argv.includes('--verbose')
  const words = argv.filter((word) => word !== '--verbose')
  try {
    const program = await programOf(words.slice(2))
    await program.parseAsync([...words])
    return 0
  } catch (error) {
    const isJson = argv.includes('--json')
    if (isJexoError(error) && error.code === 'package-missing' && !isJson) {
      const { offerInstall } = await import('./terminal/offer-install.js')
      const ended = await offerInstall(error, argv)
      if (ended !== undefined) return ended
    }
    const code = exitCodeOf(error, isJson)
    if (isVerbose && error instanceof Error) say(stacksOf(error))
    return code
  }
}

/**
 * Verbs in the order of the work. Only the requested one is loaded, since loading all would take longer than most
 * calls.
 */
export const verbs: Readonly<Record<VerbName, () => Promise<() => Command>>> = {
  new: async () => (await import('./verbs/new.js')).newCommand,
  wrap: async () => (await import('./verbs/wrap.js')).wrap,
  add: async () => (await import('./verbs/add.js')).add,
  serve: async () => (await import('./verbs/serve.js')).serve,
  show: async () => (await import('./verbs/show.js')).show,
  call: async () => (await import('./verbs/call.js')).call,
  tasks: async () => (await import('./verbs/tasks.js')).tasks,
  read: async () => (await import('./verbs/read.js')).read,
  fill: async () => (await import('./verbs/fill.js')).fill,
  talk: async () => (await import('./verbs/talk.js')).talk,
  relay: async () => (await import('./verbs/relay.js')).relay,
  loupe: async () => (await import('./verbs/loupe.js')).loupe,
  attach: async () => (await import('./verbs/attach.js')).attach,
  vet: async () => (await import('./verbs/vet.js')).vetCommand,
  replay: async () => (await import('./verbs/replay.js')).replay,
  rehearse: async () => (await import('./verbs/rehearse.js')).rehearseCommand,
  pack: async () => (await import('./verbs/pack.js')).pack,
  ship: async () => (await import('./verbs/ship.js')).shipCommand,
  'sign-in': async () => (await import('./verbs/sign-in.js')).signIn,
  'sign-out': async () => (await import('./verbs/sign-in.js')).signOut,
  token: async () => (await import('./verbs/token.js')).token,
  demo: async () => (await import('./verbs/demo.js')).demo,
  completion: async () => (await import('./verbs/completion.js')).completion,
}

async function programOf([first = '', second = '']: readonly string[]): Promise<Command> {
  const program = new Command('jexo')
    .description(
      'Turn functions, APIs and data into a Model Context Protocol server; run, inspect, test and deploy it',
    )
    .version(version)
    .exitOverride()
    .configureOutput({
      writeOut: out,
      writeErr: say,
    })
    .configureHelp({ subcommandTerm })
    .showSuggestionAfterError()
    .addHelpText('after', targetHelp)
  const verb = first === 'help' ? second : first
  for (const name of Object.keys(verbTexts) as VerbName[]) {
    const isNeeded = verb === name || verb === 'completion'
    program.addCommand(withExits(isNeeded ? (await verbs[name]())() : summaryOf(name)))
  }
  return program
}

/** `call <target> <tool> [name=value...]`. */
function subcommandTerm(command: Command): string {
  const name = command.name()
  return Object.hasOwn(verbTexts, name) ? `${name} ${verbTexts[name as VerbName].usage}` : name
}

/** A placeholder for a verb that was not typed, for `jexo --help` and suggestions. */
const summaryOf = (name: VerbName): Command => new Command(name).description(verbTexts[name].about)

const targetHelp = `
A target is a kit file, an http(s):// URL, exec:<command line>, or <host config file>#<entry>;
show and loupe also accept a tape (*.tape.jsonl).
With --verbose, errors are printed with their stacks.
Exit codes: 0 success, 1 operation failed, 2 usage or connection error.`

function withExits(command: Command): Command {
  return command.exitOverride().configureOutput({
    writeOut: out,
    writeErr: say,
  })
}

/** Codes of operations that failed. */
const refusals = new Set([
  'release-failed',
  'public-url-silent',
  'package-broken',
  'pack-silent',
  'resource-unknown',
])

function exitCodeOf(error: unknown, isJson: boolean): number {
  if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2
  if (error instanceof Failed) return error.exitCode
  if (isJson) outJson(errorValue(error))
  else say(`${errorColours.red('error')} ${shownError(error)}`)
  return error instanceof RpcError || (isJexoError(error) && refusals.has(error.code)) ? 1 : 2
}

function shownError(error: unknown): string {
  if (error instanceof RpcError)
    return [`the server refused (${error.code}): ${error.message}`, ...pagesIn(error)].join('\n')
  if (isJexoError(error)) return error.message
  return error instanceof Error ? (error.stack ?? error.message) : String(error)
}

/** The stack of an error, and of what caused it. */
function stacksOf(error: Error): string {
  const { stack = error.message, cause } = error
  return cause instanceof Error ? `${stack}\ncaused by ${stacksOf(cause)}` : stack
}

/** Pages that must be visited first (-32042). */
function pagesIn({ data }: RpcError): string[] {
  const pages = isObject(data) && Array.isArray(data.elicitations) ? data.elicitations.filter(isObject) : []
  return pages.map(({ message, url }) => `  ${message}: ${url}`)
}

/** Ends the process when all output is written, since a kit may hold timers and sockets that keep it alive. */
async function finish(code: number): Promise<void> {
  for (const stream of [process.stdout, process.stderr]) {
    if (stream.writableLength > 0) await new Promise((resolve) => stream.once('drain', resolve))
  }
  process.exit(code)
}
