import { Command } from 'commander'
import { canonicalUri } from '../../access/canonical-uri.js'
import { fileStore, signInFile } from '../../access/sign-in/file-store.js'
import type { SignInStep } from '../../access/sign-in/steps.js'
import { type KeptSignIn, memoryStore } from '../../access/sign-in/store.js'
import { namesIn } from '../../kit/choose.js'
import { kitErrors } from '../../kit/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { connect } from '../../transport/connect.js'
import { commandSignIn } from '../options/command-sign-in.js'
import { columns, errorValue, Failed, out, outJson, say } from '../terminal/output.js'
import { signInStepLines } from '../text/sign-in-steps.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags {
  clientId?: string
  scopes?: string
  fresh?: boolean
  device?: boolean
  explain?: boolean
  list?: boolean
  json?: boolean
}

export const signIn = () =>
  new Command('sign-in')
    .description(verbTexts['sign-in'].about)
    .argument('[url]', 'URL of the server')
    .option('--client-id <id>', 'id of this program at the authorization server; default: it registers itself')
    .option('--scopes <names>', 'scopes to ask for, separated by commas; default: those that the server needs')
    .option('--device', 'sign in with a browser on another device, by typing a code there')
    .option('--explain', 'sign in again, and print each step with its requests; secrets are masked')
    .option('--fresh', 'sign in again, and replace the stored sign-in')
    .option('--list', 'list the stored sign-ins')
    .option('--json', 'print the outcome as JSON')
    .addHelpText(
      'after',
      `\nExample: jexo sign-in https://hives.example/mcp
         jexo sign-in https://hives.example/mcp --explain`,
    )
    .action(async (typed: string | undefined, flags: Flags) => {
      const store = fileStore()
      if (flags.list) return list(await store.all(), flags.json === true)
      const url = urlOf(typed)
      const resource = canonicalUri(url.href)
      const scopes = namesIn(flags.scopes ?? '')
      const before = await store.read(resource)
      const isEnough = scopes.every((scope) => before?.scopes.includes(scope))
      // The existing sign-in stays until the new one is complete.
      const isNew = flags.fresh || flags.explain || !isEnough
      const attempt = isNew ? memoryStore() : store
      const steps: SignInStep[] = []
      const way = commandSignIn({
        mayAsk: true,
        store: attempt,
        scopes,
        clientId: flags.clientId,
        onDevice: flags.device,
        onStep: flags.explain ? (step) => explain(step, steps, flags.json === true) : undefined,
      })
      try {
        const link = await connect(url, { signIn: way })
        await link.close()
      } catch (error) {
        if (!flags.explain || !flags.json) throw error
        outJson({ steps, ...errorValue(error) })
        throw new Failed()
      }
      const kept = await attempt.read(resource)
      if (isNew && kept) await store.update(resource, async () => kept)
      if (flags.json)
        return outJson(flags.explain ? { steps, kept: kept ? shown(kept) : null } : kept ? shown(kept) : null)
      if (!kept) return say(`${url.href} does not ask callers to sign in.`)
      say(
        `signed in at ${kept.issuer}${kept.scopes.length > 0 ? ` for ${kept.scopes.join(', ')}` : ''}; stored in ${shownPath(signInFile())}`,
      )
    })

/** Prints a step at once, since the next one may wait for the user. */
function explain(step: SignInStep, steps: SignInStep[], isJson: boolean): void {
  steps.push(step)
  if (!isJson) for (const line of signInStepLines(step, steps.length, columns())) out(line)
}

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
  if (all.length === 0) return say('no sign-ins are stored')
  for (const { resource, issuer, scopes } of all)
    out(`${resource}  at ${issuer}  ${scopes.join(', ') || 'no scopes'}`)
}
