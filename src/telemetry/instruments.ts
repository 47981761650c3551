import { type Histogram, metrics, type Tracer, trace } from '@opentelemetry/api'
import { version } from '../version.js'

const boundaries = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 30, 60, 120, 300]

/** Metrics of one side of the protocol. */
export interface Instruments {
  readonly tracer: Tracer
  readonly operations: Histogram
  readonly sessions: Histogram
}

export function instrumentsOf(side: 'server' | 'client'): Instruments {
  const meter = metrics.getMeter('jexo', version)
  const histogram = (what: string, description: string) =>
    meter.createHistogram(`mcp.${side}.${what}.duration`, {
      unit: 's',
      description,
      advice: { explicitBucketBoundaries: boundaries },
    })
  return {
    tracer: trace.getTracer('jexo', version),
    operations: histogram('operation', `How long requests took, on the ${side} side.`),
    sessions: histogram('session', `How long sessions lasted, on the ${side} side.`),
  }
}
