import { resolve } from 'node:path'
import { Command } from 'commander'
import { type Attachable, entryFor, relayed } from '../attach/entry.js'
import { tryEntry } from '../attach/try-entry.js'
import { writeEntry } from '../attach/write-entry.js'
import { shownPath } from '../target/kit-file.js'
import { readTarget } from '../target/target.js'
import { errorColours, Failed, out, say } from './output.js'
import { gather, type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends TargetFlags {
  to?: string
  as?: string
  replace?: boolean
  relayed?: boolean
  tape?: string
}

export const attach = () =>
  new Command('attach')
    .description("Writes the entry into a host's configuration, and tries it as the host would.")
    .argument('<target>', 'kit file, URL, exec:<command line>, or a packed file')
    .option('--to <file>', "the host's configuration file, JSON or JSONC; without it the entry is printed")
    .option('--as <name>', "name of the entry; the kit's name unless given")
    .option('--replace', 'replace an entry of another server that has the name')
    .option('--relayed', 'put the relay in between, which records what the host asks and gets')
    .option('--tape <file>', 'where the relay records; <name>.tape.jsonl here unless given')
    .option('--header <name: value>', 'header for a URL', gather)
    .addHelpText('after', '\nExample: jexo attach apiary.kit.ts --to ~/host/config.json')
    .action(async (text: string, flags: Flags) => {
      const target = await readTarget(text, targetOptions(flags))
      const plain = await entryFor(target, process.env)
      const name = flags.as ?? plain.name
      const tape = resolve(flags.tape ?? `${name}.tape.jsonl`)
      const found = flags.relayed ? { ...plain, entry: relayed(target, plain, tape) } : plain
      if (flags.to === undefined) printShapes(name, found)
      else await write(resolve(flags.to), name, found, flags.replace === true)
      if (found.secrets.length > 0) {
        say(`It needs ${found.secrets.join(', ')} in the host's environment: secrets are not written into entries.`)
      }
      await report(found)
      if (flags.relayed) say(`See what the host asks: jexo loupe --follow ${shownPath(tape)}`)
    })

function printShapes(name: string, { entry }: Attachable): void {
  const type = 'url' in entry ? 'http' : 'stdio'
  say('For hosts with a map "mcpServers":')
  out(JSON.stringify({ mcpServers: { [name]: entry } }, null, 2))
  say('\nFor hosts with a map "servers":')
  out(JSON.stringify({ servers: { [name]: { type, ...entry } } }, null, 2))
}

async function write(file: string, name: string, { entry }: Attachable, mayReplace: boolean): Promise<void> {
  const written = await writeEntry(file, name, entry, mayReplace)
  const did = written.isUnchanged ? 'is there already' : written.isNew ? 'added' : 'renewed'
  out(`${shownPath(file)}: ${written.path.join('.')} ${did}`)
  if (written.backup) say(errorColours.dim(`The file as it was: ${shownPath(written.backup)}`))
}

async function report({ entry }: Attachable): Promise<void> {
  const tried = await tryEntry(entry)
  if (!tried.ok) {
    say(`${errorColours.red('tried it, and it does not answer:')} ${tried.reason}`)
    throw new Failed()
  }
  const tools = tried.tools === 1 ? '1 tool' : `${tried.tools} tools`
  say(
    `${errorColours.green('tried it:')} ${tried.server} answers, ${tools}, revision ${tried.revision}, in ${tried.tookMs} ms`,
  )
  say('Restart or refresh the host, so that it sees the entry.')
}
