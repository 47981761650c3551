import { type Context, context, type Span, SpanKind, SpanStatusCode, trace } from '@opentelemetry/api'
import { messageOf } from '../errors.js'
import type { Incoming } from '../protocol/incoming.js'
import type { JsonObject, RequestId } from '../protocol/messages.js'
import type { RequestEnd, WatchedAsk } from '../protocol/watch.js'
import { type Described, describe, failureIn, networkAttributes } from './attributes.js'
import { contextIn, headersOf, metaOf } from './carrier.js'
import type { Instruments } from './instruments.js'
import type { SessionWatch, UpstreamWork, WatchedSession } from './telemetry.js'
import { describeUpstream, endUpstream } from './upstream-span.js'

/** A request in progress. */
interface Open {
  readonly described: Described
  readonly span: Span
  readonly context: Context
  readonly startedAt: number
}

/** Maximum length of a label. */
const mostCharacters = 2000

/** Requests in both directions are measured: those that this side answers, and those that it sends. */
export interface Sides {
  readonly responding: Instruments
  readonly asking: Instruments
}

/** Makes a span for each request of a session in both directions, and for its external operations. */
export class OtelSessionWatch implements SessionWatch {
  readonly #session: WatchedSession
  readonly #sides: Sides
  readonly #openedAt = performance.now()
  readonly #open = new Map<RequestId, Open>()
  /** The metric of the session's duration. */
  readonly #own: Instruments
  #isClosed = false

  constructor(session: WatchedSession, sides: Sides, own: Instruments) {
    this.#session = session
    this.#sides = sides
    this.#own = own
  }

  arrived(incoming: Incoming, work: () => void): void {
    const described = describe(this.#session, incoming.id, incoming.method, incoming.params)
    const ambient = context.active()
    const sent = contextIn(incoming.meta, ambient)
    const around = trace.getSpanContext(ambient)
    const isElsewhere = sent && around && around.spanId !== trace.getSpanContext(sent)?.spanId
    const parent = sent ?? ambient
    const span = this.#sides.responding.tracer.startSpan(
      described.spanName,
      {
        kind: SpanKind.SERVER,
        attributes: { ...described.shared, ...described.own },
        links: isElsewhere ? [{ context: around }] : [],
      },
      parent,
    )
    const own = trace.setSpan(parent, span)
    this.#open.set(incoming.id, { described, span, context: own, startedAt: performance.now() })
    context.with(own, work)
  }

  responded({ id }: Incoming, end: RequestEnd): void {
    const open = this.#open.get(id)
    if (!open) return
    this.#open.delete(id)
    this.#finish(this.#sides.responding, open, end)
  }

  asking(
    id: RequestId,
    method: string,
    params: JsonObject | undefined,
    related: RequestId | undefined,
  ): WatchedAsk {
    const described = describe(this.#session, id, method, params)
    const parent = this.#contextOf(related)
    const span = this.#sides.asking.tracer.startSpan(
      described.spanName,
      { kind: SpanKind.CLIENT, attributes: { ...described.shared, ...described.own } },
      parent,
    )
    const own = trace.setSpan(parent, span)
    const open = { described, span, context: own, startedAt: performance.now() }
    let isOver = false
    return {
      meta: metaOf(own),
      ended: (end) => {
        if (isOver) return
        isOver = true
        this.#finish(this.#sides.asking, open, end)
      },
    }
  }

  async upstream<T>({ id, meta }: Incoming, { kind, label, notes, run }: UpstreamWork<T>): Promise<T> {
    // A task's operations come after its request was answered, so they belong to the request that created it.
    const parent = this.#open.has(id)
      ? this.#contextOf(id)
      : (contextIn(meta, context.active()) ?? context.active())
    const { name, ...options } = describeUpstream(kind, this.#session.mask(label.slice(0, mostCharacters)))
    const span = this.#sides.responding.tracer.startSpan(name, options, parent)
    const own = trace.setSpan(parent, span)
    notes.traceHeaders = headersOf(own)
    try {
      const result = await context.with(own, run)
      endUpstream(span, kind, notes)
      return result
    } catch (error) {
      endUpstream(span, kind, notes, { error, text: this.#session.mask(messageOf(error)) })
      throw error
    }
  }

  layer({ id }: Incoming, name: string, what: string, detail: JsonObject | undefined): void {
    const open = this.#open.get(id)
    const plain = Object.entries(detail ?? {}).filter(([, value]) =>
      ['string', 'number', 'boolean'].includes(typeof value),
    )
    const noted = plain.map(([key, value]) => [
      `jexo.layer.${key}`,
      typeof value === 'string' ? this.#session.mask(value) : value,
    ])
    open?.span.addEvent(`${name} ${what}`, {
      'jexo.layer.name': name,
      'jexo.layer.outcome': what,
      ...Object.fromEntries(noted),
    })
  }

  closed(): void {
    if (this.#isClosed) return
    this.#isClosed = true
    this.#own.sessions.record((performance.now() - this.#openedAt) / 1000, {
      'mcp.protocol.version': this.#session.revisionDate,
      ...networkAttributes(this.#session),
    })
  }

  /** The context of a request: the active context if the request belongs to it, such as inside a span of the author. */
  #contextOf(id: RequestId | undefined): Context {
    const active = context.active()
    const own = id === undefined ? undefined : this.#open.get(id)?.context
    if (!own) return active
    const isInside = trace.getSpanContext(active)?.traceId === trace.getSpanContext(own)?.traceId
    return isInside ? active : own
  }

  #finish({ operations }: Instruments, { described, span, context: own, startedAt }: Open, end: RequestEnd): void {
    const failure = failureIn(end)
    // The revision is known when `initialize` has been answered.
    const shared = { ...described.shared, 'mcp.protocol.version': this.#session.revisionDate }
    if (failure) {
      span.setAttributes(failure.attributes)
      const message =
        failure.message === undefined ? {} : { message: this.#session.mask(failure.message.slice(0, 500)) }
      span.setStatus({ code: SpanStatusCode.ERROR, ...message })
    }
    span.setAttribute('mcp.protocol.version', this.#session.revisionDate)
    // With the context of the span, so that a collector can link metrics to traces.
    operations.record((performance.now() - startedAt) / 1000, { ...shared, ...failure?.attributes }, own)
    span.end()
  }
}
