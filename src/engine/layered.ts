import { kitErrors } from '../kit/errors.js'
import type { Layer, LayeredMethod, LayerNote } from '../kit/layer.js'
import type { Part } from '../kit/part.js'
import type { Check } from '../kit/validation.js'
import type { Incoming } from '../protocol/incoming.js'
import { LayeredCall } from './call-context.js'
import type { Session } from './session.js'
import { upstream } from './upstream.js'

/** A request for a part, with checked input, that passes through layers. */
export interface Layered {
  readonly session: Session
  readonly incoming: Incoming
  readonly part: Part
  readonly layers: readonly Layer[]
  readonly method: LayeredMethod
  readonly input: unknown
  readonly uri?: string
  /** Arguments that were entered before, for a completion. */
  readonly filled?: Readonly<Record<string, string>>
  /** Checks an input that a layer has replaced. */
  readonly check: Check
  /** The function of the part. */
  readonly run: (input: unknown, call: LayeredCall) => unknown
}

/** The layers of a part for a method. */
export const layersFor = (layers: readonly Layer[], method: LayeredMethod): readonly Layer[] =>
  layers.every(({ methods }) => methods === undefined || methods.includes(method))
    ? layers
    : layers.filter(({ methods }) => methods === undefined || methods.includes(method))

/** Runs a part inside its layers, outermost first. Rejects with the error of a layer or the part. */
export function throughLayers(layered: Layered): Promise<unknown> {
  const { session, incoming, part, layers, method } = layered
  const { uri, filled, input } = layered
  const call = new LayeredCall(session, incoming, { part, method, input, uri, filled })
  let accepted = input
  let isOver = false

  const accept = async () => {
    const checked = await layered.check(call.input)
    if (!checked.ok) throw kitErrors.layerInput(part.name, checked.issues)
    accepted = checked.value
    call.input = accepted
    return layered.run(accepted, call)
  }
  /** The results of `next()` by layer, to find the layer that lost a result. */
  const passed: Promise<unknown>[] = []
  // No function here is async, so that each layer only costs its own promise.
  const at = (index: number): Promise<unknown> => {
    const layer = layers[index]
    try {
      if (!layer) return call.input === accepted ? promised(layered.run(accepted, call)) : accept()
      const next = () => {
        // A layer that continues after the response was sent must not run the part again.
        if (isOver || incoming.isOver) return Promise.reject(kitErrors.layerLate(layer.name, part.name))
        const inner = at(index + 1)
        passed[index] = inner
        return inner
      }
      return promised(layer.around(call, next, noteOf(session, incoming, layer)))
    } catch (error) {
      return Promise.reject(error)
    }
  }
  return at(0).then(
    (result) => {
      isOver = true
      return result === undefined ? findLoss(layers, passed) : result
    },
    (error: unknown) => {
      isOver = true
      throw error
    },
  )
}

const promised = (value: unknown): Promise<unknown> => (value instanceof Promise ? value : Promise.resolve(value))

/** Rejects with the outermost layer that received a result and returned none. */
async function findLoss(
  layers: readonly Layer[],
  passed: readonly (Promise<unknown> | undefined)[],
): Promise<void> {
  for (const [index, { name }] of layers.entries()) {
    const given = await passed[index]?.catch(() => undefined)
    if (given !== undefined) throw kitErrors.layerReturnedNothing(name)
  }
}

const noteOf =
  (session: Session, incoming: Incoming, { name }: Layer): LayerNote =>
  (what, detail) => {
    session.watch?.layer(incoming, name, what, detail)
    void upstream(session, incoming, 'layer', name, (notes) => {
      notes.status = what
      if (detail) notes.detail = detail
    })
  }
