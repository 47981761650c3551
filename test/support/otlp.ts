import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { gunzipSync } from 'node:zlib'
import protobuf from 'protobufjs'

/** The part of OTLP that tests look at, with the field numbers of the standard. */
const { root } = protobuf.parse(`
syntax = "proto3";
package otlp;
message AnyValue { oneof value { string string_value = 1; bool bool_value = 2; int64 int_value = 3; double double_value = 4; } }
message KeyValue { string key = 1; AnyValue value = 2; }
message Resource { repeated KeyValue attributes = 1; }
message Event { fixed64 time_unix_nano = 1; string name = 2; repeated KeyValue attributes = 3; }
message Link { bytes trace_id = 1; bytes span_id = 2; }
message Status { string message = 2; int32 code = 3; }
message Span {
  bytes trace_id = 1; bytes span_id = 2; string trace_state = 3; bytes parent_span_id = 4; string name = 5; int32 kind = 6;
  fixed64 start_time_unix_nano = 7; fixed64 end_time_unix_nano = 8; repeated KeyValue attributes = 9;
  repeated Event events = 11; repeated Link links = 13; Status status = 15;
}
message ScopeSpans { repeated Span spans = 2; }
message ResourceSpans { Resource resource = 1; repeated ScopeSpans scope_spans = 2; }
message Traces { repeated ResourceSpans resource_spans = 1; }
message Point { fixed64 count = 4; double sum = 5; repeated KeyValue attributes = 9; }
message Histogram { repeated Point data_points = 1; }
message Metric { string name = 1; string unit = 3; Histogram histogram = 9; }
message ScopeMetrics { repeated Metric metrics = 2; }
message ResourceMetrics { Resource resource = 1; repeated ScopeMetrics scope_metrics = 2; }
message Metrics { repeated ResourceMetrics resource_metrics = 1; }
`)

type Attributes = Record<string, string | number | boolean>
export interface SeenSpan {
  service: string
  trace: string
  id: string
  parent: string
  name: string
  /** 1 internal, 2 server, 3 client. */
  kind: number
  attributes: Attributes
  events: { name: string; attributes: Attributes }[]
  links: number
  /** 2 is an error. */
  status: number
  statusMessage: string
}
export interface SeenPoint {
  metric: string
  unit: string
  count: number
  attributes: Attributes
}

/** A collector that accepts OTLP over HTTP and keeps it. It may be slow, or refuse everything. */
export async function newCollector({ status = 200, delayMs = 0 } = {}) {
  const spans: SeenSpan[] = []
  const points = new Map<string, SeenPoint>()
  const requests: string[] = []
  const server = createServer(async (request, response) => {
    const chunks: Buffer[] = []
    for await (const chunk of request) chunks.push(chunk)
    const sent = Buffer.concat(chunks)
    const body = request.headers['content-encoding'] === 'gzip' ? gunzipSync(sent) : sent
    requests.push(`${request.url} ${request.headers['content-type']}`)
    if (request.url === '/v1/traces') spans.push(...spansIn(decode('Traces', body)))
    if (request.url === '/v1/metrics')
      for (const point of pointsIn(decode('Metrics', body)))
        points.set(JSON.stringify([point.metric, point.attributes]), point)
    setTimeout(() => response.writeHead(status, { 'content-type': 'application/x-protobuf' }).end(), delayMs)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as AddressInfo
  return {
    url: `http://127.0.0.1:${port}`,
    spans,
    points,
    requests,
    close: () => {
      server.closeAllConnections()
      server.close()
    },
  }
}

// biome-ignore lint/suspicious/noExplicitAny: the decoded value has the shape of the text above.
const decode = (type: string, body: Buffer): any => {
  const message = root.lookupType(`otlp.${type}`)
  return message.toObject(message.decode(body), { bytes: Buffer, longs: String, arrays: true, defaults: true })
}

const hex = (bytes: Uint8Array) => Buffer.from(bytes).toString('hex')

interface Pair {
  key: string
  value: { stringValue?: string; boolValue?: boolean; intValue?: string; doubleValue?: number }
}
const attributesOf = (pairs: Pair[] = []): Attributes =>
  Object.fromEntries(
    pairs.map(({ key, value }) => [
      key,
      value.stringValue ?? value.boolValue ?? value.doubleValue ?? Number(value.intValue),
    ]),
  )

// biome-ignore lint/suspicious/noExplicitAny: as above.
const spansIn = ({ resourceSpans }: any): SeenSpan[] =>
  // biome-ignore lint/suspicious/noExplicitAny: as above.
  resourceSpans.flatMap(({ resource, scopeSpans }: any) =>
    // biome-ignore lint/suspicious/noExplicitAny: as above.
    scopeSpans.flatMap(({ spans }: any) =>
      // biome-ignore lint/suspicious/noExplicitAny: as above.
      spans.map((span: any) => ({
        service: String(attributesOf(resource.attributes)['service.name']),
        trace: hex(span.traceId),
        id: hex(span.spanId),
        parent: hex(span.parentSpanId),
        name: span.name,
        kind: span.kind,
        attributes: attributesOf(span.attributes),
        events: span.events.map(({ name, attributes }: { name: string; attributes: Pair[] }) => ({
          name,
          attributes: attributesOf(attributes),
        })),
        links: span.links.length,
        status: span.status?.code ?? 0,
        statusMessage: span.status?.message ?? '',
      })),
    ),
  )

// biome-ignore lint/suspicious/noExplicitAny: as above.
const pointsIn = ({ resourceMetrics }: any): SeenPoint[] =>
  // biome-ignore lint/suspicious/noExplicitAny: as above.
  resourceMetrics.flatMap(({ scopeMetrics }: any) =>
    // biome-ignore lint/suspicious/noExplicitAny: as above.
    scopeMetrics.flatMap(({ metrics }: any) =>
      // biome-ignore lint/suspicious/noExplicitAny: as above.
      metrics.flatMap(({ name, unit, histogram }: any) =>
        (histogram?.dataPoints ?? []).map(({ count, attributes }: { count: string; attributes: Pair[] }) => ({
          metric: name,
          unit,
          count: Number(count),
          attributes: attributesOf(attributes),
        })),
      ),
    ),
  )
