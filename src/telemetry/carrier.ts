import { type Context, propagation, ROOT_CONTEXT, trace } from '@opentelemetry/api'
import type { JsonObject } from '../protocol/messages.js'

/** The fields of `_meta` that carry a trace (W3C Trace Context and Baggage). */
const fields = ['traceparent', 'tracestate', 'baggage'] as const
/** Maximum length of a received header, in characters. */
const mostCharacters = 8192

/** The context that a peer has sent; undefined without a valid one. */
export function contextIn(meta: JsonObject, base: Context): Context | undefined {
  if (typeof meta.traceparent !== 'string') return undefined
  const carrier: Record<string, string> = {}
  for (const field of fields) {
    const value = meta[field]
    if (typeof value === 'string' && value.length <= mostCharacters) carrier[field] = value
  }
  // From nothing: a trace that is no trace must not be taken for the one that is active here.
  const remote = trace.getSpanContext(propagation.extract(ROOT_CONTEXT, carrier))
  return remote ? propagation.extract(base, carrier) : undefined
}

/** Trace context for the `_meta` of a request. */
export function metaOf(context: Context): JsonObject {
  const carrier = headersOf(context)
  return Object.fromEntries(fields.flatMap((field) => (carrier[field] ? [[field, carrier[field]]] : [])))
}

/** Headers that carry a context on in an HTTP request, in the form that the SDK is set to. */
export function headersOf(context: Context): Record<string, string> {
  const carrier: Record<string, string> = {}
  propagation.inject(context, carrier)
  return carrier
}
