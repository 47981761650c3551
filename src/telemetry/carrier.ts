import { type Context, propagation, ROOT_CONTEXT, trace } from '@opentelemetry/api'
import type { JsonObject } from '../protocol/messages.js'

/** The fields of `_meta` that carry a trace (W3C Trace Context and Baggage). */
const fields = ['traceparent', 'tracestate', 'baggage'] as const
/** Maximum length of a received header, in characters. */
const mostCharacters = 8192

/** The context that a peer has sent; undefined if it is missing or invalid. */
export function contextIn(meta: JsonObject, base: Context): Context | undefined {
  if (typeof meta.traceparent !== 'string') return undefined
  const carrier: Record<string, string> = {}
  for (const field of fields) {
    const value = meta[field]
    if (typeof value === 'string' && value.length <= mostCharacters) carrier[field] = value
  }
  // Starts from an empty context: without a valid trace, the active one must not be used instead.
  const remote = trace.getSpanContext(propagation.extract(ROOT_CONTEXT, carrier))
  return remote ? propagation.extract(base, carrier) : undefined
}

/** Trace context for the `_meta` of a request. */
export function metaOf(context: Context): JsonObject {
  const carrier = headersOf(context)
  return Object.fromEntries(fields.flatMap((field) => (carrier[field] ? [[field, carrier[field]]] : [])))
}

/** HTTP headers that propagate a context, in the format that the SDK is configured for. */
export function headersOf(context: Context): Record<string, string> {
  const carrier: Record<string, string> = {}
  propagation.inject(context, carrier)
  return carrier
}
