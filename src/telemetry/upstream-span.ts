import { type Attributes, type Span, SpanKind, SpanStatusCode } from '@opentelemetry/api'
import type { UpstreamNotes } from '../kit/call.js'
import { errorType } from './attributes.js'

/** Name, kind and attributes of the span of an external operation. */
export function describeUpstream(
  kind: string,
  label: string,
): { name: string; kind: SpanKind; attributes: Attributes } {
  const word = kind.slice(0, 60)
  if (kind === 'http') {
    const [, method = '', url = label] = /^([A-Z]+) (.*)$/s.exec(label) ?? []
    const at = URL.canParse(url) ? new URL(url) : undefined
    return {
      name: method || 'HTTP',
      kind: SpanKind.CLIENT,
      attributes: {
        ...(method ? { 'http.request.method': method } : {}),
        'url.full': url,
        ...(at
          ? {
              'server.address': at.hostname,
              'server.port': Number(at.port || (at.protocol === 'https:' ? 443 : 80)),
            }
          : {}),
      },
    }
  }
  if (kind === 'sql') {
    const [, operation = 'SQL'] = /^\s*([a-z]{1,20})\b/i.exec(label) ?? []
    const [, table] = /\b(?:from|into|update|table)\s+["`]?([\w.]{1,60})/i.exec(label) ?? []
    const summary = table === undefined ? operation.toUpperCase() : `${operation.toUpperCase()} ${table}`
    return {
      name: summary,
      kind: SpanKind.CLIENT,
      attributes: {
        'db.operation.name': operation.toUpperCase(),
        'db.query.summary': summary,
        'db.query.text': label,
      },
    }
  }
  if (kind === 'file') return { name: 'file', kind: SpanKind.INTERNAL, attributes: { 'file.path': label } }
  return { name: word, kind: SpanKind.INTERNAL, attributes: { 'jexo.upstream.label': label } }
}

/** Ends the span of an external operation with its details or its error. */
export function endUpstream(
  span: Span,
  kind: string,
  notes: UpstreamNotes,
  failure?: { error: unknown; text: string },
): void {
  const { status, bytes } = notes
  if (kind === 'http') {
    if (typeof status === 'number') span.setAttribute('http.response.status_code', status)
    if (bytes !== undefined) span.setAttribute('http.response.body.size', bytes)
  } else {
    if (status !== undefined) span.setAttribute('jexo.upstream.status', status)
    if (bytes !== undefined) span.setAttribute('jexo.upstream.bytes', bytes)
  }
  if (failure) {
    span.setAttribute('error.type', errorType(failure.error))
    span.setStatus({ code: SpanStatusCode.ERROR, message: failure.text })
  } else if (kind === 'http' && typeof status === 'number' && status >= 400) {
    span.setAttribute('error.type', String(status))
    span.setStatus({ code: SpanStatusCode.ERROR })
  }
  span.end()
}
