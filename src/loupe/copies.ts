import { isObject, type JsonObject } from '../protocol/messages.js'
import { newestRevision } from '../protocol/revisions.js'
import { isSecretHeader } from '../protocol/secrets.js'
import type { Target } from '../target/target.js'

/** A call in the formats that can be copied. */
export interface Copies {
  /** For a terminal. */
  cli: string
  /** curl for a URL; for a command, the lines to write to its stdin. */
  shell: string
  typescript: string
}

/** Writes a call in forms that can be repeated elsewhere. Secrets are replaced by variables: `$API_TOKEN`. */
export function copiesOf(target: Target, typed: string, method: string, params: JsonObject): Copies {
  return {
    cli: cliOf(typed, method, params),
    shell: shellOf(target, method, params),
    typescript: scriptOf(target, method, params),
  }
}

function cliOf(typed: string, method: string, params: JsonObject): string {
  const at = word(typed)
  if (method === 'resources/read') return `jexo read ${at} ${word(String(params.uri))}`
  const args = isObject(params.arguments) ? params.arguments : {}
  const verb = method === 'prompts/get' ? 'fill' : 'call'
  const isFlat = Object.values(args).every((value) => typeof value !== 'object' || value === null)
  const given = isFlat
    ? Object.entries(args).map(([name, value]) => word(`${name}=${value}`))
    : ['--args', word(JSON.stringify(args))]
  return ['jexo', verb, at, word(String(params.name)), ...given].join(' ')
}

function shellOf(target: Target, method: string, params: JsonObject): string {
  const hello = {
    jsonrpc: '2.0',
    id: 1,
    method: 'initialize',
    params: {
      protocolVersion: newestRevision.date,
      capabilities: {},
      clientInfo: { name: 'shell', version: '1' },
    },
  }
  const ready = { jsonrpc: '2.0', method: 'notifications/initialized' }
  const call = { jsonrpc: '2.0', id: 2, method, params: withoutMeta(params) }
  const lines = [hello, ready, call].map((message) => singleQuoted(JSON.stringify(message)))
  if (target.kind === 'url') return curlOf(target.url, target.headers ?? {}, lines)
  const command = target.kind === 'child' ? [target.command.command, ...target.command.args] : []
  const started = target.kind === 'kit' ? `jexo serve ${word(target.file)}` : command.map(word).join(' ')
  return `printf '%s\\n' ${lines.join(' \\\n  ')} | ${started}`
}

function curlOf(
  url: string,
  headers: Readonly<Record<string, string>>,
  [hello, ready, call]: readonly string[],
): string {
  const given = Object.entries(headers).map(([name, value]) => ` \\\n  -H ${headerWord(name, value)}`)
  const base = `curl -sS ${word(url)}${given.join('')} \\\n  -H 'Content-Type: application/json' -H 'Accept: application/json, text/event-stream'`
  const inSession = `${base} -H "Mcp-Session-Id: $SESSION" -H 'MCP-Protocol-Version: ${newestRevision.date}'`
  return [
    `SESSION=$(${base} -D - -o /dev/null \\\n  -d ${hello} | tr -d '\\r' | sed -n 's/^mcp-session-id: //Ip')`,
    `${inSession} \\\n  -d ${ready}`,
    `${inSession} \\\n  -d ${call}`,
  ].join('\n')
}

function scriptOf(target: Target, method: string, params: JsonObject): string {
  const use =
    method === 'tools/call'
      ? `link.call(${JSON.stringify(params.name)}, ${code(params.arguments ?? {})})`
      : method === 'prompts/get'
        ? `link.fill(${JSON.stringify(params.name)}, ${code(params.arguments ?? {})})`
        : `link.read(${JSON.stringify(params.uri)})`
  return `import { connect } from 'jexo/node'

const link = await connect(${targetCode(target)})
const answer = await ${use}
console.log(answer)
await link.close()
`
}

function targetCode(target: Target): string {
  if (target.kind === 'url') {
    const headers = Object.entries(target.headers ?? {})
    if (headers.length === 0) return JSON.stringify(target.url)
    const given = headers.map(([name, value]) => `${JSON.stringify(name)}: ${headerCode(name, value)}`)
    return `${JSON.stringify(target.url)}, { headers: { ${given.join(', ')} } }`
  }
  if (target.kind === 'child') {
    const { command, args, cwd } = target.command
    return code({ command, args, ...(cwd === undefined ? {} : { cwd }) })
  }
  return target.kind === 'kit'
    ? code({ command: 'jexo', args: ['serve', target.file] })
    : JSON.stringify(target.file)
}

const variableOf = (name: string) =>
  /^authorization$/i.test(name) ? 'API_TOKEN' : name.toUpperCase().replace(/[^A-Z0-9]+/g, '_')
const schemeOf = (value: string) => /^(Bearer|Basic) /i.exec(value)?.[0] ?? ''

function headerWord(name: string, value: string): string {
  if (!isSecretHeader(name)) return singleQuoted(`${name}: ${value}`)
  return `"${name}: ${schemeOf(value)}$${variableOf(name)}"`
}
function headerCode(name: string, value: string): string {
  return isSecretHeader(name) ? `\`${schemeOf(value)}\${process.env.${variableOf(name)}}\`` : JSON.stringify(value)
}

/** A word for a shell, quoted only if necessary. */
const word = (text: string) => (/^[\w@%+=:,./-]+$/.test(text) ? text : singleQuoted(text))
const singleQuoted = (text: string) => `'${text.replaceAll("'", `'\\''`)}'`
const code = (value: unknown) => JSON.stringify(value, null, 2).replace(/^(\s*)"([A-Za-z_$][\w$]*)":/gm, '$1$2:')

function withoutMeta({ _meta: _, ...rest }: JsonObject): JsonObject {
  return rest
}
