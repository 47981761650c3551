import { Argument, Command } from 'commander'
import { addToken, readTokens, removeToken } from '../../access/edit-tokens.js'
import { namesIn } from '../../kit/choose.js'
import { kitErrors } from '../../kit/errors.js'
import { isScope } from '../../kit/scope.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { out, outJson, say } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags {
  file: string
  scopes?: string
  expires?: string
  json?: boolean
}

const actions = ['add', 'list', 'remove'] as const
type Action = (typeof actions)[number]

export const token = () =>
  new Command('token')
    .description(verbTexts.token.about)
    .addArgument(new Argument('<action>', 'operation').choices(actions))
    .argument('[name]', 'name of the caller')
    .option('--file <file>', 'token file', 'callers.tokens.jsonl')
    .option('--scopes <names>', 'scopes of the caller, separated by commas; * for all')
    .option('--expires <time>', 'expiry of the token: a duration such as 90d, 12h or 30m, or a date; default: none')
    .option('--json', 'print the outcome as JSON')
    .addHelpText(
      'after',
      '\nExample: jexo token add ada --scopes hives.read,hives.write --expires 90d\n         jexo serve apiary.kit.ts --http --tokens callers.tokens.jsonl',
    )
    .action(async (action: Action, name: string | undefined, flags: Flags) => {
      if (action === 'list') return list(flags)
      if (name === undefined) throw kitErrors.argumentUnreadable(`token ${action}`, 'the name of the caller')
      return action === 'add' ? add(name, flags) : remove(name, flags)
    })

async function add(name: string, { file, scopes: typed, expires, json }: Flags): Promise<void> {
  const scopes = namesIn(typed ?? '')
  const wrong = scopes.find((scope) => !isScope(scope))
  if (wrong !== undefined)
    throw kitErrors.argumentUnreadable(`the scope ${JSON.stringify(wrong)}`, 'names without quotes and spaces')
  const end = expires === undefined ? {} : { expires: endOf(expires) }
  const made = await addToken(file, { name, scopes, ...end })
  if (json) return outJson({ name, token: made, scopes, ...end })
  out(made)
  say(
    `This is the only time that the token is shown; ${shownPath(file)} has its hash. ${name} sends it as: Authorization: Bearer <token>`,
  )
}

async function remove(name: string, { file, json }: Flags): Promise<void> {
  await removeToken(file, name)
  if (json) outJson({ name, removed: true })
  else say(`removed ${name}; a running server notices within a second`)
}

async function list({ file, json }: Flags): Promise<void> {
  const tokens = await readTokens(file)
  const shown = tokens.map(({ sha256: _, ...rest }) => rest)
  if (json) return outJson(shown)
  if (shown.length === 0) return say(`${shownPath(file)} has no tokens; add one with: jexo token add <name>`)
  for (const { name, scopes, expires } of shown) {
    const end =
      expires === undefined ? 'no end' : `${Date.parse(expires) < Date.now() ? 'ended' : 'until'} ${expires}`
    out(`${name.padEnd(20)}  ${(scopes.join(' ') || 'no scopes').padEnd(30)}  ${end}`)
  }
}

const unitsMs = { m: 60_000, h: 3_600_000, d: 86_400_000 } as const

/** A duration from now, or a date. */
function endOf(text: string): string {
  const [, count, unit] = /^(\d{1,6})([mhd])$/.exec(text) ?? []
  const at =
    count === undefined ? Date.parse(text) : Date.now() + Number(count) * unitsMs[unit as keyof typeof unitsMs]
  if (Number.isNaN(at) || at <= Date.now())
    throw kitErrors.argumentUnreadable(
      `the end ${JSON.stringify(text)}`,
      'a duration such as 90d, or a date in the future',
    )
  return new Date(at).toISOString()
}
