import { Command } from 'commander'
import { canonicalUri } from '../../access/canonical-uri.js'
import { fileStore, signInFile } from '../../access/sign-in/file-store.js'
import type { KeptSignIn } from '../../access/sign-in/store.js'
import { namesIn } from '../../kit/choose.js'
import { kitErrors } from '../../kit/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { connect } from '../../transport/connect.js'
import { commandSignIn } from '../options/command-sign-in.js'
import { out, outJson, say } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags {
  clientId?: string
  scopes?: string
  fresh?: boolean
  list?: boolean
  json?: boolean
}

export const signIn = () =>
  new Command('sign-in')
    .description(verbTexts['sign-in'].about)
    .argument('[url]', 'URL of the server')
    .option('--client-id <id>', 'id of this program at the authorization server; default: it registers itself')
    .option('--scopes <names>', 'scopes to ask for, separated by commas; default: those that the server needs')
    .option('--fresh', 'forget the sign-in that is kept, and sign in again')
    .option('--list', 'list the sign-ins that are kept')
    .option('--json', 'print the outcome as JSON')
    .addHelpText('after', '\nExample: jexo sign-in https://hives.example/mcp')
    .action(async (typed: string | undefined, flags: Flags) => {
      const store = fileStore()
      if (flags.list) return list(await store.all(), flags.json === true)
      const url = urlOf(typed)
      const resource = canonicalUri(url.href)
      const scopes = namesIn(flags.scopes ?? '')
      const before = await store.read(resource)
      const isEnough = scopes.every((scope) => before?.scopes.includes(scope))
      if (flags.fresh || !isEnough) await store.update(resource, async () => undefined)
      const way = commandSignIn({
        mayAsk: true,
        scopes,
        ...(flags.clientId === undefined ? {} : { clientId: flags.clientId }),
      })
      const link = await connect(url, { signIn: way })
      await link.close()
      const kept = await store.read(resource)
      if (flags.json) return outJson(kept ? shown(kept) : null)
      if (!kept) return say(`${url.href} asks nobody to sign in.`)
      say(
        `signed in at ${kept.issuer}${kept.scopes.length > 0 ? ` for ${kept.scopes.join(', ')}` : ''}; kept in ${shownPath(signInFile())}`,
      )
    })

export const signOut = () =>
  new Command('sign-out')
    .description(verbTexts['sign-out'].about)
    .argument('<url>', 'URL of the server')
    .addHelpText('after', '\nExample: jexo sign-out https://hives.example/mcp')
    .action(async (typed: string) => {
      const resource = canonicalUri(urlOf(typed).href)
      const store = fileStore()
      const was = await store.read(resource)
      await store.update(resource, async () => undefined)
      say(was ? `signed out of ${resource}` : `there is no sign-in for ${resource}`)
    })

function urlOf(typed: string | undefined): URL {
  if (typed === undefined || !/^https?:\/\//.test(typed) || !URL.canParse(typed))
    throw kitErrors.argumentUnreadable(
      `the server ${JSON.stringify(typed ?? '')}`,
      'its URL, such as https://hives.example/mcp',
    )
  return new URL(typed)
}

const shown = ({ resource, issuer, clientId, scopes, expiresAtMs }: KeptSignIn) => ({
  resource,
  issuer,
  clientId,
  scopes,
  ...(expiresAtMs === undefined ? {} : { expires: new Date(expiresAtMs).toISOString() }),
})

function list(all: readonly KeptSignIn[], isJson: boolean): void {
  if (isJson) return outJson(all.map(shown))
  if (all.length === 0) return say('no sign-ins are kept')
  for (const { resource, issuer, scopes } of all)
    out(`${resource}  at ${issuer}  ${scopes.join(', ') || 'no scopes'}`)
}
