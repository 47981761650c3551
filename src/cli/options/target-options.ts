import type { Command } from 'commander'
import type { SignIn } from '../../access/sign-in/sign-in.js'
import { stringsOf } from '../../host-config/config-file.js'
import { kitErrors } from '../../kit/errors.js'
import type { Kit } from '../../kit/kit.js'
import type { Link } from '../../link/link.js'
import { openTarget, readTarget, type Target } from '../../target/target.js'
import { foundTelemetry } from '../../telemetry/found.js'
import { readCollector, startSdk } from '../../telemetry/sdk.js'
import type { NodeConnectOptions } from '../../transport/node-connect.js'
import { version } from '../../version.js'
import { errorColours, say } from '../terminal/output.js'
import { keepsKitsApart } from './kits-apart.js'

export interface TargetFlags {
  header?: string[]
  env?: string[]
  cwd?: string
  timeout?: string
  revision?: string
  trace?: boolean
  otlp?: string
}

/** For repeatable options. */
export const gather = (value: string, before: string[] = []) => [...before, value]

/** Adds the options for reaching a target: headers, variables and the working folder of a command. */
export function withReach(command: Command): Command {
  return command
    .option(
      '--header <name: value>',
      `send a header with every request; \${env:NAME} inserts a variable (repeatable)`,
      gather,
    )
    .option('--env <NAME=value>', 'set a variable for the kit or command (repeatable)', gather)
    .option('--cwd <folder>', 'working folder of a command')
    .option('--load-timeout <ms>', 'time limit for loading a kit, in milliseconds; default: 30000', (text) => {
      process.env.JEXO_LOAD_TIMEOUT_MS = String(readMs(text))
    })
}

/** Adds the options that every command with a target has. */
export function withTarget(command: Command): Command {
  return withReach(command)
    .option('--timeout <ms>', 'time limit of a request, in milliseconds')
    .option('--trace', 'print every message and upstream request on stderr')
    .option('--otlp <url>', 'send a trace of the command to this OpenTelemetry collector')
    .option('--revision <date>', 'protocol revision to request, such as 2025-06-18')
}

export interface UseOptions extends NodeConnectOptions {
  /** The command needs the kit object, so the kit runs in this process. */
  needsKit?: boolean
  /** Called at Ctrl-C; returns true if nothing else has to be done. */
  onInterrupt?: () => boolean
}

/**
 * Opens the target, runs a function with the link, and closes it. The first Ctrl-C closes the link, a second ends the
 * process at once.
 */
export async function withLink<T>(
  target: string,
  flags: TargetFlags,
  use: (link: Link, kit: Kit | undefined) => Promise<T>,
  { needsKit = false, onInterrupt, ...options }: UseOptions = {},
): Promise<T> {
  const given = targetOptions(flags)
  // A kit may read its environment while it is loaded.
  Object.assign(process.env, given.env)
  const timeoutMs = timeoutOf(flags)
  const found = await readTarget(target, given)
  const { otlp } = flags
  const stopSdk = await startSdk({
    ...(otlp === undefined ? {} : { otlp: readCollector(otlp) }),
    service: { name: 'jexo', version },
    warn: say,
  })
  let opened: Awaited<ReturnType<typeof openTarget>> | undefined
  const close = async () => {
    await opened?.link.close()
    await stopSdk?.()
  }
  const endSignals = onSignals(close, onInterrupt)
  const work = async () => {
    opened = await openTarget(found, {
      ...(flags.trace ? (await import('./trace.js')).traceOptions() : {}),
      ...options,
      ...given,
      ...(timeoutMs === undefined ? {} : { timeoutMs }),
      ...(flags.revision === undefined ? {} : { revision: flags.revision }),
      onStderr: (line) => say(found.kind === 'kit' ? line : errorColours.dim(`  ${line}`)),
      keepsKitApart: keepsKitsApart() && !needsKit,
      ...(await signInFor(found)),
    })
    const result = await use(opened.link, opened.kit)
    // Uncaught errors of a kit are reported after the current work.
    if (opened.kit) await new Promise((resolve) => setImmediate(resolve))
    return result
  }
  try {
    const telemetry = await foundTelemetry()
    return await (telemetry ? telemetry.inside('jexo', work) : work())
  } finally {
    endSignals()
    await close()
  }
}

/** Asks the user to sign in if the URL requires it and the session is interactive. Otherwise only stored sign-ins are used. */
async function signInFor(target: Target): Promise<{ signIn?: SignIn }> {
  const { commandSignIn, isPersonThere } = await import('./command-sign-in.js')
  return target.kind === 'url' && isPersonThere() ? { signIn: commandSignIn({ mayAsk: true }) } : {}
}

const signalCodes = { SIGINT: 130, SIGTERM: 143 } as const

/** At a signal, runs `end` and then ends the process; a second signal ends it at once. Returns a function that stops listening. */
function onSignals(end: () => Promise<void>, onInterrupt?: () => boolean): () => void {
  let count = 0
  const names = Object.keys(signalCodes) as (keyof typeof signalCodes)[]
  const heard = (signal: keyof typeof signalCodes) => {
    if (signal === 'SIGINT' && onInterrupt?.()) return
    const finish = () => process.exit(signalCodes[signal])
    if (++count > 1) return finish()
    end().then(finish, finish)
  }
  for (const name of names) process.on(name, heard)
  return () => {
    // After a signal the process ends, and another signal must not use its default action.
    if (count > 0) return
    for (const name of names) process.removeListener(name, heard)
  }
}

export function targetOptions(flags: TargetFlags) {
  return {
    env: Object.fromEntries((flags.env ?? []).map((text) => split(text, '=', '--env', 'NAME=value'))),
    headers: stringsOf(typedPairs(flags.header)),
    ...(flags.cwd === undefined ? {} : { cwd: flags.cwd }),
  }
}

/** Parses the given headers. */
export const typedPairs = (headers: readonly string[] = []): Record<string, string> =>
  Object.fromEntries(headers.map((text) => split(text, ':', '--header', '"Name: value"')))

function split(text: string, at: string, option: string, wanted: string): [string, string] {
  const index = text.indexOf(at)
  if (index < 1) throw kitErrors.argumentUnreadable(`${option} ${JSON.stringify(text)}`, wanted)
  return [text.slice(0, index).trim(), text.slice(index + 1).trim()]
}

/** The time limit of a request in milliseconds, from the option or `JEXO_TIMEOUT_MS`. */
export function timeoutOf({ timeout = process.env.JEXO_TIMEOUT_MS }: TargetFlags): number | undefined {
  return timeout === undefined || timeout === '' ? undefined : readMs(timeout)
}

export function readMs(text: string): number {
  const value = Number(text)
  if (!Number.isInteger(value) || value <= 0)
    throw kitErrors.argumentUnreadable(`the timeout ${JSON.stringify(text)}`, 'milliseconds, such as 5000')
  return value
}
