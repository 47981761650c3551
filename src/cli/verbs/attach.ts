import { existsSync } from 'node:fs'
import { isAbsolute, resolve } from 'node:path'
import { Command, Option } from 'commander'
import { type Attachable, entryFor, withRelay } from '../../attach/entry.js'
import { tryEntry } from '../../attach/try-entry.js'
import { type Change, carryOut, planEntry, planRemoval, textOf, withValues } from '../../attach/write-entry.js'
import { type ShapeName, shapeNames } from '../../host-config/shape/shape.js'
import { kitErrors } from '../../kit/errors.js'
import { hostName } from '../../kit/host-name.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { readTarget } from '../../target/target.js'
import { gather, type TargetFlags, targetOptions, timeoutOf, typedPairs } from '../options/target-options.js'
import { errorColours, Failed, out, say } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends TargetFlags {
  to?: string[]
  shape?: ShapeName
  dryRun?: boolean
  remove?: boolean
  as?: string
  replace?: boolean
  writeSecrets?: boolean
  record?: boolean
  tape?: string
}

export const attach = () =>
  new Command('attach')
    .description(verbTexts.attach.about)
    .argument('<target>', 'kit file, URL, exec:<command line>, or a packed file')
    .option(
      '--to <file>',
      "the host's configuration file (repeatable); without it, print the entry in every shape",
      gather,
    )
    .addOption(
      new Option(
        '--shape <shape>',
        "shape of the entry; default: inferred from the file's name and content",
      ).choices(shapeNames),
    )
    .option('--dry-run', 'show the change without writing it')
    .option('--remove', 'remove the entry')
    .option('--as <name>', "name of the entry; default: the kit's name")
    .option('--env <NAME=value>', 'set a variable in the entry (repeatable)', gather)
    .option('--cwd <folder>', 'folder in which the host starts the server')
    .option('--write-secrets', 'write the values of secret headers and variables into the file')
    .option('--replace', "replace another server's entry of the same name")
    .option('--record', "insert the relay, which records the host's traffic")
    .option('--tape <file>', 'tape that the relay writes; default: <name>.tape.jsonl in this folder')
    .option('--header <name: value>', 'header to send to a URL (repeatable)', gather)
    .option('--timeout <ms>', 'time limit for trying the entry, in milliseconds; default: 20000')
    .addHelpText('after', '\nExample: jexo attach apiary.kit.ts --to ~/host/config.json')
    .action(async (text: string, flags: Flags) => {
      const target = await readTarget(text, targetOptions(flags))
      const given = targetOptions({ ...flags, header: [] })
      const typedHeaders = typedPairs(flags.header)
      const plain = await entryFor(target, { ...process.env }, { ...given, typedHeaders })
      const name = nameFor(flags.as ?? plain.name)
      const tape = resolve(flags.tape ?? `${name}.tape.jsonl`)
      const found = flags.record ? { ...plain, entry: withRelay(target, plain, tape) } : plain
      if (flags.remove) return takeOut(flags, name)
      sayOfPaths(given.env)
      const asked = flags.to === undefined ? [] : await write(flags.to, name, found, flags)
      if (flags.to === undefined) printShapes(name, found, flags.shape)
      const isComplete = flags.writeSecrets === true || (asked.length > 0 && asked.every(Boolean))
      if (!flags.writeSecrets) sayOfSecrets(found)
      if (flags.dryRun) return
      await report(found, isComplete, flags)
      if (flags.record) say(`Watch the host's messages: jexo loupe --follow ${shownPath(tape)}`)
    })

/** Hosts start servers in another folder. */
function sayOfPaths(env: Readonly<Record<string, string>>): void {
  for (const [name, value] of Object.entries(env))
    if (/^\.{1,2}[\\/]/.test(value) || (!isAbsolute(value) && /[\\/.]/.test(value) && existsSync(value)))
      say(`${name} is a relative path, and hosts start servers in another folder: use ${resolve(value)}`)
}

function nameFor(wanted: string): string {
  const name = hostName(wanted)
  if (name !== wanted) say(`Named ${name}: some hosts reject dashes, spaces, dots and names over 60 characters.`)
  return name
}

function sayOfSecrets({ entry, secrets, fromFile }: Attachable): void {
  if (fromFile)
    say(
      `${fromFile.names.join(', ')} ${fromFile.names.length === 1 ? 'comes' : 'come'} from ${shownPath(fromFile.file)}.`,
    )
  if (secrets.length === 0) return
  if ('url' in entry)
    return say(
      `The value of ${secrets.map(({ header }) => header).join(', ')} is a secret: it is not written to the entry.`,
    )
  const names = secrets.map(({ name }) => name).join(', ')
  say(
    `It needs ${names}: secrets are not written to the entry. A host with "inputs" asks for them; otherwise set them in the host's environment.`,
  )
}

/** Prints the entry in the format of each host. */
function printShapes(name: string, found: Attachable, only: ShapeName | undefined): void {
  const { entry } = found
  const labels: Record<ShapeName, string> = {
    mcpServers: 'For hosts with a map "mcpServers" (JSON)',
    servers: 'For hosts with a map "servers" (JSON)',
    toml: 'For hosts with TOML tables',
    yaml: 'For hosts with a YAML list',
  }
  for (const shape of shapeNames) {
    if (only !== undefined && only !== shape) continue
    say(`${only === undefined && shape !== 'mcpServers' ? '\n' : ''}${labels[shape]}:`)
    out(textOf(shape, name, found).trimEnd())
  }
  if (!('url' in entry)) return
  say(`\nFor hosts with a dialog: the URL is ${entry.url}`)
  for (const [header, value] of Object.entries(entry.headers ?? {}))
    say(
      `and it needs the header ${header}: ${found.secrets.some((secret) => secret.header === header) ? '(the value that you gave)' : value}`,
    )
}

/**
 * Plans all files before writing the first, so that an error changes nothing. Returns for each file whether its host
 * asks for secrets.
 */
async function write(files: readonly string[], name: string, found: Attachable, flags: Flags): Promise<boolean[]> {
  const { entry, secrets } = found
  const options = {
    secrets,
    mayReplace: flags.replace === true,
    mayWriteSecrets: flags.writeSecrets === true,
    ...(flags.shape ? { shape: flags.shape } : {}),
  }
  const changes: Change[] = []
  for (const file of files) changes.push(await planEntry(resolve(file), name, entry, options))
  for (const change of changes) await carry(change, flags.dryRun === true)
  return changes.map(({ asksForSecrets }) => asksForSecrets === true)
}

async function takeOut(flags: Flags, name: string): Promise<void> {
  const options = flags.shape ? { shape: flags.shape } : {}
  const changes: Change[] = []
  for (const file of flags.to ?? []) changes.push(await planRemoval(resolve(file), name, options))
  if (changes.length === 0) throw kitErrors.argumentUnreadable('--remove', 'the file to remove it from, with --to')
  for (const change of changes) await carry(change, flags.dryRun === true)
  if (changes.every(({ did }) => did === 'is not present')) throw new Failed()
  if (!flags.dryRun) say('Restart or refresh the host to drop the entry.')
}

async function carry(change: Change, isDry: boolean): Promise<void> {
  const { file, path, did, difference } = change
  out(`${shownPath(file)}: ${path.join('.')} ${isDry && difference !== '' ? `would be ${did}` : did}`)
  if (difference !== '') say(coloured(difference))
  if (isDry) return
  const backup = await carryOut(change)
  if (backup) say(errorColours.dim(`Backup: ${shownPath(backup)}`))
}

const coloured = (difference: string) =>
  difference
    .trimEnd()
    .split('\n')
    .filter((line) => !/^(===|---|\+\+\+|\\)/.test(line))
    .map((line) =>
      line.startsWith('+') ? errorColours.green(line) : line.startsWith('-') ? errorColours.red(line) : line,
    )
    .join('\n')

/**
 * Tries the entry as it is. If that fails and this environment has secrets that the entry lacks, tries it with them and reports which variables the host needs.
 */
async function report({ entry, secrets }: Attachable, isComplete: boolean, flags: Flags): Promise<void> {
  const { to: files = [] } = flags
  const timeoutMs = timeoutOf(flags)
  const filled = withValues(entry, secrets)
  let tried = await tryEntry(isComplete ? filled : entry, timeoutMs)
  let note = ''
  if (!tried.ok && !isComplete && filled !== entry) {
    const names = secrets.map(({ name }) => name).join(', ')
    tried = await tryEntry(filled, timeoutMs)
    note = ` with ${names} from this environment; without ${secrets.length === 1 ? 'it' : 'them'}, the entry does not start`
  }
  if (!tried.ok && tried.needsSignIn && 'url' in entry) {
    say(`${errorColours.green('tried it:')} the server responds, and asks callers to sign in.`)
    say(
      'Restart or refresh the host: it opens a page to sign in when it connects. If it cannot, add a token with --header.',
    )
    say(`To use the server here: jexo sign-in ${entry.url}`)
    return
  }
  if (!tried.ok) {
    say(`${errorColours.red('tried it: no response:')} ${tried.reason}`)
    if (files.length > 0)
      say(
        `The entry stays in ${files.map((file) => shownPath(resolve(file))).join(', ')}; --remove takes it out again.`,
      )
    throw new Failed()
  }
  const tools = tried.tools === 1 ? '1 tool' : `${tried.tools} tools`
  say(
    `${errorColours.green('tried it:')} ${tried.server} responds: ${tools}, revision ${tried.revision}, ${tried.tookMs} ms${note}`,
  )
  if (tried.isSignedIn)
    say(
      'It was tried with your own sign-in. The host opens a page to sign in when it connects; if it cannot, add a token with --header.',
    )
  say('Restart or refresh the host to load the entry.')
}
