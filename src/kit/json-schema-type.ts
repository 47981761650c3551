/** Direction of a value: functions receive mutable lists and may return readonly ones. */
type Use = 'given' | 'returned'

/** The type of values that match a plain JSON Schema literal; `unknown` if types cannot express it. */
export type ValueOf<S, U extends Use = 'given'> = S extends { readonly const: infer C }
  ? Literal<C, U>
  : S extends { readonly enum: readonly (infer E)[] }
    ? Literal<E, U>
    : S extends { readonly anyOf: readonly (infer B)[] }
      ? ValueOf<B, U>
      : S extends { readonly oneOf: readonly (infer B)[] }
        ? ValueOf<B, U>
        : S extends { readonly type: infer T }
          ? OfType<T, S, U>
          : unknown

/** The same for the root of a tool's schema, which is always an object. */
export type ObjectOf<S, U extends Use> =
  unknown extends ValueOf<S, U> ? (U extends 'given' ? { [key: string]: unknown } : object) : ValueOf<S, U>

type OfType<T, S, U extends Use> = T extends 'string'
  ? string
  : T extends 'number' | 'integer'
    ? number
    : T extends 'boolean'
      ? boolean
      : T extends 'null'
        ? null
        : T extends 'array'
          ? ListOf<S, U>
          : T extends 'object'
            ? Properties<S, U>
            : unknown

type ListOf<S, U extends Use> = S extends { readonly prefixItems: infer P extends readonly unknown[] }
  ? Tuple<P, U>
  : S extends { readonly items: infer I }
    ? U extends 'given'
      ? ValueOf<I, U>[]
      : readonly ValueOf<I, U>[]
    : unknown[]
type Tuple<P extends readonly unknown[], U extends Use> = { -readonly [K in keyof P]: ValueOf<P[K], U> }

type Properties<S, U extends Use> = S extends { readonly properties: infer P }
  ? Simplified<
      { [K in keyof P as K extends RequiredOf<S> ? K : never]: ValueOf<P[K], U> } & {
        [K in keyof P as K extends RequiredOf<S> ? never : K]?: ValueOf<P[K], U> | undefined
      }
    >
  : S extends { readonly additionalProperties: infer A }
    ? { [key: string]: A extends boolean ? unknown : ValueOf<A, U> }
    : { [key: string]: unknown }
type RequiredOf<S> = S extends { readonly required: readonly (infer R)[] } ? R : never
type Simplified<T> = { [K in keyof T]: T[K] }

/** TypeScript widens literal types of return values; the exact literal is checked at run time. */
type Literal<T, U extends Use> = U extends 'given'
  ? T
  : T extends string
    ? string
    : T extends number
      ? number
      : T extends boolean
        ? boolean
        : T
