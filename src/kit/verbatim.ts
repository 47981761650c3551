import type { JsonObject } from '../protocol/messages.js'
import { RpcError } from '../protocol/rpc-error.js'
import { hasBrand } from './brand.js'

const brand = Symbol.for('jexo.verbatim')

/** A result of another server, which is passed on unchanged and unchecked. */
export interface Verbatim {
  readonly result: JsonObject
}

export const verbatim = (result: JsonObject): Verbatim =>
  Object.freeze(Object.defineProperty({ result }, brand, { value: true }))

export const isVerbatim = (value: unknown): value is Verbatim => hasBrand(value, brand)

/** A refusal of another server, which is passed on with its code and data. */
export class PassedError extends RpcError {}
