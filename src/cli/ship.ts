import { Command } from 'commander'
import { quote } from 'shell-quote'
import { problems } from '../errors.js'
import { labelOfPlace, type Place, readPlace } from '../ship/far.js'
import type { PlaceSettings, PlaceStatus } from '../ship/place.js'
import { logsOf, rollback, type ShipOptions, type Shipped, ship, statusOf, stopPlace } from '../ship/ship.js'
import { colours, errorColours, out, outJson, say } from './output.js'
import { gather, readMs, targetOptions } from './target-options.js'

interface Flags {
  to: string
  port?: string
  host?: string
  path?: string
  publicUrl?: string
  allowedHost?: string[]
  openToAnyone?: boolean
  drain?: string
  ready?: string
  env?: string[]
  node?: string
  rollback?: string | true
  status?: boolean
  logs?: string | true
  stop?: boolean
  json?: boolean
}

export const shipCommand = () =>
  new Command('ship')
    .description('Puts a packed file to a place, and proves that it answers there.')
    .argument('[artefact]', 'a file of jexo pack, or a kit file, which is packed first')
    .requiredOption('--to <place>', 'a folder, or <ssh destination>:<folder>')
    .option('--port <port>', 'port of the place; 4870 unless given')
    .option('--host <address>', 'address it listens on; 127.0.0.1 unless given')
    .option('--path <path>', 'path of the endpoint; /mcp unless given')
    .option('--public-url <url>', 'the URL that others reach it by')
    .option('--allowed-host <name>', 'another name it may be reached by (again for more)', gather)
    .option('--open-to-anyone', 'let anyone call although other machines can reach it')
    .option('--drain <ms>', 'how long sessions of the release before may go on; 600000 unless given')
    .option('--ready <ms>', 'how long the release may take until it answers; 30000 unless given')
    .option('--env <NAME=value>', "set a variable in the place's .env (again for more)", gather)
    .option('--node <path>', 'Node on the far machine; found by its PATH unless given')
    .option('--rollback [release]', 'go back to the release before, or to the one named')
    .option('--status', 'say what runs there')
    .option('--logs [lines]', 'show the last lines of the logs')
    .option('--stop', 'stop what runs there')
    .option('--json', 'the outcome as JSON')
    .addHelpText(
      'after',
      `
Example: jexo ship packed/apiary.mjs --to ~/services/apiary
         jexo ship packed/apiary.mjs --to bees@marsh.example:apiary --public-url https://hives.example/mcp
         jexo ship --to ~/services/apiary --rollback`,
    )
    .action(async (artefact: string | undefined, flags: Flags) => {
      const place = readPlace(flags.to)
      const options: ShipOptions = {
        settings: settingsIn(flags),
        environment: targetOptions({ env: flags.env ?? [] }).env,
        ...(flags.node === undefined ? {} : { node: flags.node }),
        say: (text) => say(errorColours.dim(`  ${text}`)),
      }
      if (flags.status) return showStatus(await statusOf(place, options), flags)
      if (flags.logs !== undefined)
        return out(await logsOf(place, flags.logs === true ? 50 : readMs(flags.logs), options))
      if (flags.stop) {
        await stopPlace(place, options)
        return say(`${labelOfPlace(place)} is stopped`)
      }
      if (flags.rollback !== undefined) {
        return tellOf(
          place,
          await rollback(place, flags.rollback === true ? undefined : flags.rollback, options),
          flags,
        )
      }
      if (artefact === undefined) throw problems.argumentUnreadable('the artefact', 'a file of jexo pack to ship')
      tellOf(place, await ship(artefact, place, options), flags)
    })

function settingsIn(flags: Flags): Partial<PlaceSettings> {
  const { host, path, publicUrl, allowedHost, openToAnyone } = flags
  return {
    ...(flags.port === undefined ? {} : { port: readPort(flags.port) }),
    ...(host === undefined ? {} : { host }),
    ...(path === undefined ? {} : { path }),
    ...(publicUrl === undefined ? {} : { publicUrl }),
    ...(allowedHost === undefined ? {} : { allowedHosts: allowedHost }),
    ...(openToAnyone === undefined ? {} : { isOpenToAnyone: openToAnyone }),
    ...(flags.drain === undefined ? {} : { drainMs: readMs(flags.drain) }),
    ...(flags.ready === undefined ? {} : { readyMs: readMs(flags.ready) }),
  }
}

function readPort(text: string): number {
  const port = Number(text)
  if (!Number.isInteger(port) || port < 0 || port > 65_535)
    throw problems.argumentUnreadable(`the port ${JSON.stringify(text)}`, 'one from 0 to 65535')
  return port
}

function tellOf(place: Place, shipped: Shipped, { json }: Flags): void {
  const { id, url, publicUrl, token, tools, proof } = shipped
  const reached = publicUrl ?? url
  if (json) return outJson({ id, url: reached, tools, ...(proof ? { proof } : {}) })
  out(reached)
  if (proof) {
    const called = proof.called === undefined ? '' : `, ${proof.called} ${proof.failure ? 'says no' : 'answered'}`
    say(`${colours.green('it answers:')} ${proof.server}, ${tools} tools${called}, in ${proof.tookMs} ms`)
    if (proof.failure) say(`  ${proof.called}: ${proof.failure}`)
  } else {
    say(
      `${colours.green('it answers there:')} ${id}, ${tools} tools. From elsewhere it needs --public-url, or a way through ssh.`,
    )
  }
  const header = token === undefined ? '' : ` --header 'Authorization: Bearer ${token}'`
  say(`For others: jexo attach ${reached}${header}`)
  say(errorColours.dim(`Back to the release before: jexo ship --to ${quote([labelOfPlace(place)])} --rollback`))
}

function showStatus(status: PlaceStatus, { json }: Flags): void {
  if (json) return outJson(status)
  out(`${status.publicUrl ?? status.url}  ${status.isRunning ? 'runs' : 'stopped'}`)
  for (const { id, kit, version, state, sessions, at, outcome } of [...status.releases].reverse()) {
    const mark = outcome === 'refused' ? 'refused' : id === status.current && !status.isRunning ? 'current' : state
    out(
      `  ${id.padEnd(24)} ${`${kit} ${version}`.padEnd(20)} ${mark.padEnd(9)} ${sessions > 0 ? `${sessions} sessions, ` : ''}${at}`,
    )
  }
}
