import { Command } from 'commander'
import { quote } from 'shell-quote'
import { kitErrors } from '../../kit/errors.js'
import type { DeploymentSettings, DeploymentStatus } from '../../ship/deployment.js'
import { type DeployLocation, locationLabel, readLocation } from '../../ship/remote.js'
import {
  logsOf,
  rollback,
  type ShipOptions,
  type Shipped,
  ship,
  statusOf,
  stopDeployment,
} from '../../ship/ship.js'
import { gather, readMs, targetOptions } from '../options/target-options.js'
import { colours, errorColours, out, outJson, say } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

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
    .description(verbTexts.ship.about)
    .argument('[artefact]', 'file created by jexo pack, or a kit file, which is packed first')
    .requiredOption('--to <location>', 'a folder, or <ssh destination>:<folder>')
    .option('--port <port>', 'port of the deployment; default: 4870')
    .option('--host <address>', 'address to listen on; default: 127.0.0.1')
    .option('--path <path>', 'path of the endpoint; default: /mcp')
    .option('--public-url <url>', 'URL by which others reach the server')
    .option('--allowed-host <name>', 'additional host name to accept (repeatable)', gather)
    .option('--open-to-anyone', 'allow unauthenticated calls from other machines')
    .option('--drain <ms>', 'time for sessions of the previous release to finish, in milliseconds; default: 600000')
    .option('--ready <ms>', 'time for the new release to respond, in milliseconds; default: 30000')
    .option('--env <NAME=value>', "set a variable in the deployment's .env (repeatable)", gather)
    .option('--node <path>', 'path of Node on the remote machine; default: found in its PATH')
    .option('--rollback [release]', 'roll back to the previous release, or to the one named')
    .option('--status', 'show the running release')
    .option('--logs [lines]', 'print the last lines of the logs')
    .option('--stop', 'stop the deployment')
    .option('--json', 'print the outcome as JSON')
    .addHelpText(
      'after',
      `
Example: jexo ship packed/apiary.mjs --to ~/services/apiary
         jexo ship packed/apiary.mjs --to bees@marsh.example:apiary --public-url https://hives.example/mcp
         jexo ship --to ~/services/apiary --rollback`,
    )
    .action(async (artefact: string | undefined, flags: Flags) => {
      const location = readLocation(flags.to)
      const options: ShipOptions = {
        settings: settingsIn(flags),
        environment: targetOptions({ env: flags.env ?? [] }).env,
        ...(flags.node === undefined ? {} : { node: flags.node }),
        say: (text) => say(errorColours.dim(`  ${text}`)),
      }
      if (flags.status) return showStatus(await statusOf(location, options), flags)
      if (flags.logs !== undefined)
        return out(await logsOf(location, flags.logs === true ? 50 : readMs(flags.logs), options))
      if (flags.stop) {
        await stopDeployment(location, options)
        return say(`${locationLabel(location)} is stopped`)
      }
      if (flags.rollback !== undefined) {
        return tellOf(
          location,
          await rollback(location, flags.rollback === true ? undefined : flags.rollback, options),
          flags,
        )
      }
      if (artefact === undefined) throw kitErrors.argumentUnreadable('the artefact', 'the packed file to ship')
      tellOf(location, await ship(artefact, location, options), flags)
    })

function settingsIn(flags: Flags): Partial<DeploymentSettings> {
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
    throw kitErrors.argumentUnreadable(`the port ${JSON.stringify(text)}`, 'one from 0 to 65535')
  return port
}

function tellOf(location: DeployLocation, shipped: Shipped, { json }: Flags): void {
  const { id, url, publicUrl, token, tools, check } = shipped
  const reached = publicUrl ?? url
  if (json) return outJson({ id, url: reached, tools, ...(check ? { check } : {}) })
  out(reached)
  if (check?.needsSignIn) {
    say(`${colours.green('it responds:')} ${id}, ${tools} tools. Callers sign in: jexo sign-in ${reached}`)
  } else if (check) {
    const called = check.called === undefined ? '' : `, ${check.called} ${check.failure ? 'refused' : 'responded'}`
    say(`${colours.green('it responds:')} ${check.server}, ${tools} tools${called}, in ${check.tookMs} ms`)
    if (check.failure) say(`  ${check.called}: ${check.failure}`)
  } else {
    say(
      `${colours.green('it responds on that machine:')} ${id}, ${tools} tools. To reach it from elsewhere, set --public-url or use an ssh tunnel.`,
    )
  }
  const header = token === undefined ? '' : ` --header 'Authorization: Bearer ${token}'`
  say(`For others: jexo attach ${reached}${header}`)
  say(errorColours.dim(`Roll back: jexo ship --to ${quote([locationLabel(location)])} --rollback`))
}

function showStatus(status: DeploymentStatus, { json }: Flags): void {
  if (json) return outJson(status)
  out(`${status.publicUrl ?? status.url}  ${status.isRunning ? 'running' : 'stopped'}`)
  for (const { id, kit, version, state, sessions, at, outcome } of [...status.releases].reverse()) {
    const mark = outcome === 'refused' ? 'refused' : id === status.current && !status.isRunning ? 'current' : state
    out(
      `  ${id.padEnd(24)} ${`${kit} ${version}`.padEnd(20)} ${mark.padEnd(9)} ${sessions > 0 ? `${sessions} sessions, ` : ''}${at}`,
    )
  }
}
