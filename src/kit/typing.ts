import type { StandardSchemaV1 } from '@standard-schema/spec'
import type { JsonObject } from '../protocol/messages.js'
import type { ObjectOf } from './json-schema-type.js'
import type { NoOutput } from './schema.js'

/** Type of the arguments that a caller passes: before defaults and conversions. */
export type ArgumentsOf<S> =
  S extends StandardSchemaV1<infer In, infer _Out>
    ? In
    : S extends undefined
      ? Record<string, never>
      : ObjectOf<S, 'returned'>

/** Type of the result that a caller receives: after defaults and conversions. */
export type ResultOf<S> =
  S extends StandardSchemaV1<infer _In, infer Out>
    ? Out
    : S extends NoOutput | undefined
      ? undefined
      : ObjectOf<S, 'given'>

/** The names of a type's properties; of a union, those of each member. */
export type KeysOf<T> = T extends unknown ? keyof T & string : never

/** Not a schema: an error text for the compiler to print. */
export interface NotPossible<Reason extends string> {
  readonly 'this schema is refused': Reason
}

/** Arguments and structured results are objects. */
export type ObjectSchema<S> = [S] extends [undefined]
  ? unknown
  : unknown extends ArgumentsOf<S>
    ? unknown
    : ArgumentsOf<S> extends readonly unknown[]
      ? NotPossible<'an array; use an object with the array as a property'>
      : ArgumentsOf<S> extends object
        ? unknown
        : NotPossible<'not an object; use an object with the value as a property'>

/** Arguments of prompts are texts. */
export type TextArguments<S> = [S] extends [undefined]
  ? unknown
  : unknown extends ArgumentsOf<S>
    ? unknown
    : ArgumentsOf<S> extends { readonly [K in keyof ArgumentsOf<S>]: string | undefined }
      ? unknown
      : NotPossible<'not an object of strings; the arguments of a prompt are strings'>

/** Values for the variables of a URI template: `{hive}` is required, `{?from,to}` is optional. */
export type VariablesOf<T extends string> = string extends T
  ? { readonly [variable: string]: string }
  : {
      readonly [V in NamesIn<T> as V extends { optional: false } ? V['name'] : never]: string
    } & {
      readonly [V in NamesIn<T> as V extends { optional: true } ? V['name'] : never]?: string
    }

type NamesIn<T extends string> = T extends `${string}{${infer Inner}}${infer Rest}`
  ? ExpressionOf<Inner> | NamesIn<Rest>
  : never
/** Expressions with an operator, such as `{/site}` and `{?from}`, are optional, as are all but the first variable of a list. */
type ExpressionOf<E extends string> = E extends `+${infer Names}`
  ? Listed<Names, false>
  : E extends `${'?' | '&' | ';' | '#' | '.' | '/'}${infer Names}`
    ? Listed<Names, true>
    : Listed<E, false>
type Listed<N extends string, Optional extends boolean> = N extends `${infer First},${infer Rest}`
  ? { name: BareName<First>; optional: Optional } | Listed<Rest, true>
  : { name: BareName<N>; optional: Optional }
type BareName<N extends string> = N extends `${infer Name}*` ? Name : N extends `${infer Name}:${string}` ? Name : N

/** Types of a tool, for a link to a kit in the same program. */
export interface ToolTypes {
  arguments: unknown
  result: unknown
}
/** Types for a server that the compiler does not know: any tool with any arguments. */
export type AnyTools = { [tool: string]: { arguments: JsonObject; result: JsonObject } }
/** The tools of a kit by name; any tools if some of its parts are created at run time, such as those of wraps. */
export type ToolsOf<K> = K extends { readonly types?: infer Parts }
  ? NonNullable<Parts> extends infer P extends readonly unknown[]
    ? string extends keyof ToolsIn<P>
      ? AnyTools
      : ToolsIn<P>
    : AnyTools
  : AnyTools
/** The tools of a list of parts, by name. */
export type ToolsIn<Parts extends readonly unknown[]> = {
  [P in Parts[number] as P extends { readonly kind: 'tool'; readonly name: infer N extends string }
    ? N
    : never]: P extends { readonly types?: infer T } ? NonNullable<T> : never
}
