import { context, SpanKind, SpanStatusCode, trace } from '@opentelemetry/api'
import { messageOf } from '../errors.js'
import { instrumentsOf } from './instruments.js'
import { OtelSessionWatch } from './session-watch.js'
import type { Telemetry } from './telemetry.js'

/** Telemetry with the SDK that is registered in the OpenTelemetry API. */
export function openTelemetry(): Telemetry {
  const server = instrumentsOf('server')
  const client = instrumentsOf('client')
  return {
    // Requests of a server to its host are part of its session, and are measured with the operations of clients.
    server: (session) => new OtelSessionWatch(session, { responding: server, asking: client }, server),
    client: (session) => new OtelSessionWatch(session, { responding: server, asking: client }, client),
    inside: (name, work) =>
      client.tracer.startActiveSpan(name, { kind: SpanKind.INTERNAL }, async (span) => {
        try {
          return await work()
        } catch (error) {
          span.setStatus({ code: SpanStatusCode.ERROR, message: messageOf(error) })
          throw error
        } finally {
          span.end()
        }
      }),
    activeIds: () => {
      const active = trace.getSpanContext(context.active())
      if (!active) return undefined
      const { traceId, spanId, traceFlags } = active
      return { trace_id: traceId, span_id: spanId, trace_flags: traceFlags.toString(16).padStart(2, '0') }
    },
  }
}
