import type { Effect } from '../../kit/effects.js'
import type { Example } from '../../kit/part.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Conversion, Definitions } from './conversion.js'

/** The exports of a module as plain data, from which plans are created. */
export interface ModuleReading {
  readonly file: string
  /** The name of the file, or of the package that it is of. */
  readonly title: string
  /** JavaScript without declarations, of which a strict compiler knows no types. */
  readonly isUntyped: boolean
  readonly functions: readonly FunctionReading[]
  readonly skipped: readonly Skipped[]
  readonly warnings: readonly string[]
  /** Exported classes whose instances need nothing to be made. */
  readonly makeable: readonly string[]
}

/** Something that is not taken, and why. */
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
  /** The class whose instance it is called on. */
  readonly instanceOf?: string
  /** The name people know it by; the default export has that of its function or file. */
  readonly name: string
  readonly where: string
  readonly about: string
  readonly title?: string
  readonly effect?: Effect
  /** Its body writes to nothing outside itself. */
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
  /** Optional members of the input that cannot be JSON, and why. */
  readonly omitted: readonly string[]
}

/** One way to call a function: its parameters in order, and the arguments that must be given. */
export interface CallForm {
  readonly parameters: readonly Parameter[]
  readonly required: readonly string[]
}

/** How an argument gets back into its place. */
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
  /** An optional argument that cannot be JSON: it is never given. */
  | { readonly kind: 'absent' }
  | { readonly kind: 'signal' }
  | { readonly kind: 'progress' }

export interface Result {
  /** `object`: given as it is; `value`: as `{ value }`; `nothing`; `any`: without a schema. */
  readonly form: 'object' | 'value' | 'nothing' | 'any'
  readonly schema?: JsonSchema
  readonly conversion: Conversion | null
  readonly definitions: Definitions
  /** It comes as a promise. */
  readonly isLater: boolean
  /** Items come one after the other, and are counted as progress. */
  readonly isStream: boolean
  readonly about?: string
}
