import { isObject } from '../../protocol/messages.js'
import type { UpstreamRecord } from '../../protocol/upstream.js'
import { columns, errorColours } from '../terminal/output.js'

/** Details below a line of the score: the full address, the request and the response, each shortened to a line. */
export function upstreamDetails({ kind, label, detail }: UpstreamRecord): string {
  const noted = Object.entries(detail ?? {}).flatMap(([name, value]) => {
    const body = isObject(value) ? value.body : value
    return body === undefined || body === '' ? [] : [[name, body] as const]
  })
  // A statement has a line of its own.
  const all = kind === 'http' ? [['asked', label] as const, ...noted] : noted
  return all.map(([name, body]) => lineOf(name, body)).join('\n')
}

function lineOf(name: string, body: unknown): string {
  const text = (typeof body === 'string' ? body : JSON.stringify(body)).replace(/\s+/g, ' ')
  const room = columns() - name.length - 8
  return `    ${errorColours.dim(`${name}  ${text.length > room ? `${text.slice(0, room)}…` : text}`)}`
}
