import { kitErrors } from '../kit/errors.js'
import type { Layer, LayeredMethod, LayerNote } from '../kit/layer.js'
import type { Part } from '../kit/part.js'
import type { Check } from '../kit/validation.js'
import type { Incoming } from '../protocol/incoming.js'
import { LayeredCall } from './call-context.js'
import type { Session } from './session.js'
import { upstream } from './upstream.js'

/** What goes through layers: a request for a part, with its checked input. */
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
  /** Checks an input that a layer put in the place of the other. */
  readonly check: Check
  /** The function of the part. */
  readonly run: (input: unknown, call: LayeredCall) => unknown
}

/** The layers of a part that are around a method. */
export const layersFor = (layers: readonly Layer[], method: LayeredMethod): readonly Layer[] =>
  layers.every(({ methods }) => methods === undefined || methods.includes(method))
    ? layers
    : layers.filter(({ methods }) => methods === undefined || methods.includes(method))

/** Runs a part inside its layers, outermost first. Rejects with what a layer or the part throws. */
export async function throughLayers(layered: Layered): Promise<unknown> {
  const { session, incoming, part, layers, method } = layered
  const { uri, filled, input } = layered
  const call = new LayeredCall(session, incoming, { part, method, input, uri, filled })
  let accepted = input
  let isOver = false

  const runPart = async () => {
    if (call.input !== accepted) {
      const checking = layered.check(call.input)
      const checked = checking instanceof Promise ? await checking : checking
      if (!checked.ok) throw kitErrors.layerInput(part.name, checked.issues)
      accepted = checked.value
      call.input = accepted
    }
    return layered.run(accepted, call)
  }
  const at = async (index: number): Promise<unknown> => {
    const layer = layers[index]
    if (!layer) return runPart()
    let passed: unknown
    const next = async () => {
      // A layer that goes on after the answer is out must not run the part once more.
      if (isOver || incoming.isOver) throw kitErrors.layerLate(layer.name, part.name)
      passed = await at(index + 1)
      return passed
    }
    const returned = await layer.around(call, next, noteOf(session, incoming, layer))
    if (returned === undefined && passed !== undefined) throw kitErrors.layerReturnedNothing(layer.name)
    return returned
  }
  try {
    return await at(0)
  } finally {
    isOver = true
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
