import type { Effect } from '../../kit/effects.js'
import type { Example } from '../../kit/part.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Conversion, Definitions } from './conversion.js'

/** The exports of a module as plain data, from which plans are created. */
export interface ModuleReading {
  readonly file: string
  /** Name of the file, or of its package. */
  readonly title: string
  /** True for JavaScript without declarations, which has no types for a strict compiler. */
  readonly isUntyped: boolean
  readonly functions: readonly FunctionReading[]
  readonly skipped: readonly Skipped[]
  readonly warnings: readonly string[]
  /** Exported classes whose constructors need no arguments. */
  readonly makeable: readonly string[]
}

/** A skipped export, and the reason. */
export interface Skipped {
  readonly name: string
  /** `colony.ts:12` */
  readonly where: string
  readonly reason: string
  /** The change that would include it. */
  readonly fix: string
}

/** Path of the function in the module: `['weigh']`, `['hives', 'weigh']`, `['default']`. */
export interface FunctionReading {
  readonly path: readonly string[]
  /** Its names in the source: `['Ledger', 'record']`. */
  readonly label: readonly string[]
  /** The display name; a default export has the name of its function or file. */
  readonly instanceOf?: string
  /** The name people know it by; the default export has that of its function or file. */
  readonly name: string
  readonly where: string
  readonly about: string
  readonly title?: string
  readonly effect?: Effect
  /** Its body has no side effects. */
  readonly onlyReads?: true
  readonly isDeprecated: boolean
  readonly examples: readonly Example[]
  readonly parameters: readonly Parameter[]
  /** The overloads, which are distinguished by the given arguments. */
  readonly forms?: readonly CallForm[]
  /** The compiler cannot tell the types of a call from JSON: it has overloads, or type parameters. */
  readonly isLooselyTyped?: true
  readonly input: JsonSchema
  readonly inputDefinitions: Definitions
  readonly result: Result
  /** Optional input members that JSON cannot represent, with reasons. */
  readonly omitted: readonly string[]
}

/** One signature: its parameters in order, and its required arguments. */
export interface CallForm {
  readonly parameters: readonly Parameter[]
  readonly required: readonly string[]
}

/** How an argument is mapped to its parameter. */
export type Parameter =
  | {
      readonly kind: 'value' | 'rest'
      readonly name: string
      readonly conversion: Conversion | null
      /** Its type has information that a schema cannot express, such as a brand. */
      readonly isNarrower?: true
      /** Properties of the object that the call fills in. */
      readonly signal?: string
      readonly progress?: string
    }
  /** An object whose properties are arguments of the tool. */
  | {
      readonly kind: 'object'
      readonly properties: readonly {
        readonly name: string
        readonly conversion: Conversion | null
        readonly isNarrower?: true
      }[]
      readonly signal?: string
      readonly progress?: string
    }
  /** An optional argument that JSON cannot represent, and that is never passed. */
  | { readonly kind: 'absent' }
  | { readonly kind: 'signal' }
  | { readonly kind: 'progress' }

export interface Result {
  /** `object`: returned as it is; `value`: as `{ value }`; `nothing`; `any`: without a schema. */
  readonly form: 'object' | 'value' | 'nothing' | 'any'
  readonly schema?: JsonSchema
  readonly conversion: Conversion | null
  readonly definitions: Definitions
  /** The result is a promise. */
  readonly isLater: boolean
  /** The result is a stream of items, which are counted as progress. */
  readonly isStream: boolean
  readonly about?: string
}
