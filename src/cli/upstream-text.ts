import { isObject } from '../protocol/messages.js'
import type { UpstreamRecord } from '../protocol/upstream.js'
import { columns, errorColours } from './output.js'

/** What a server did outside, in one line; below it what went there and what came back, as far as it fits a line. */
export function upstreamText({ kind, label, status, bytes, durationMs, detail }: UpstreamRecord): string {
  const isFault = typeof status === 'number' ? status >= 400 : status !== undefined && status !== 'ok'
  const shown = status === undefined ? '' : (isFault ? errorColours.red : errorColours.green)(String(status))
  const size = bytes === undefined ? '' : `${bytes.toLocaleString('en')} bytes`
  const facts = [shown, size, `${durationMs.toFixed(1)} ms`].filter(Boolean).join('  ')
  const more = Object.entries(detail ?? {}).flatMap(([name, value]) => {
    const body = isObject(value) ? value.body : value
    if (body === undefined || body === '') return []
    const text = (typeof body === 'string' ? body : JSON.stringify(body)).replace(/\s+/g, ' ')
    const room = columns() - name.length - 8
    return [`\n    ${errorColours.dim(`${name}  ${text.length > room ? `${text.slice(0, room)}…` : text}`)}`]
  })
  return `  ${errorColours.cyan(kind)}  ${label}  ${facts}${more.join('')}`
}
