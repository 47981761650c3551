import type ts from 'typescript'
import type { JsonSchema } from '../../kit/schema.js'
import type { Conversion, Definitions } from './conversion.js'
import { reallyConverts, type Shape } from './shapes.js'

/** Names of the types that are read: recursive types become definitions, and other schemas remember their type. */
export class TypeNames {
  /** Types whose structure is being read. One that is met again gets a name. */
  readonly #open = new Map<ts.Type, { name: string | undefined }>()
  readonly #schemas: Record<string, JsonSchema> = {}
  readonly #conversions: Record<string, Conversion> = {}
  readonly #namesByJson = new Map<string, string>()

  /** Number of objects around the current one, with itself. */
  get depth(): number {
    return this.#open.size
  }

  /** Schemas and conversions of recursive types, by name. */
  get definitions(): Definitions {
    const needed = Object.entries(this.#conversions).filter(([, conversion]) =>
      reallyConverts(conversion, this.#conversions),
    )
    return {
      ...(Object.keys(this.#schemas).length > 0 ? { schemas: this.#schemas } : {}),
      ...(needed.length > 0 ? { conversions: Object.fromEntries(needed) } : {}),
    }
  }

  /** The name of the type that a schema was read from, by its JSON. */
  typeNameOf(json: string): string | undefined {
    return this.#namesByJson.get(json)
  }

  /** Removes a conversion that changes nothing; only valid once the whole type is read. */
  pruned(shape: Shape): Shape {
    return shape.conversion && !reallyConverts(shape.conversion, this.#conversions)
      ? { ...shape, conversion: null }
      : shape
  }

  /** A reference to a type whose structure is being read; undefined for other types. */
  reference(type: ts.Type): Shape | undefined {
    const opened = this.#open.get(type)
    if (!opened) return undefined
    opened.name ??= this.#freshName(type)
    return referenceTo(opened.name)
  }

  /** Reads the structure of a type. If it refers to itself, it becomes a definition. */
  read(type: ts.Type, structure: () => Shape): Shape {
    const open: { name: string | undefined } = { name: undefined }
    this.#open.set(type, open)
    let shape: Shape
    try {
      shape = structure()
    } finally {
      this.#open.delete(type)
    }
    if (open.name === undefined) return this.named(type, shape)
    this.#schemas[open.name] = shape.schema
    if (shape.conversion) this.#conversions[open.name] = shape.conversion
    return referenceTo(open.name)
  }

  /** Remembers the name of the type that a schema was read from. */
  named(type: ts.Type, shape: Shape): Shape {
    const name = type.aliasSymbol?.name ?? type.symbol?.name
    if (name !== undefined && /^[A-Za-z]\w*$/.test(name)) this.#namesByJson.set(JSON.stringify(shape.schema), name)
    return shape
  }

  #freshName(type: ts.Type): string {
    const known = type.aliasSymbol?.name ?? type.symbol?.name ?? 'Type'
    const base = /^[A-Za-z]\w*$/.test(known) && known !== '__type' ? known : 'Type'
    const taken = new Set([...Object.keys(this.#schemas), ...[...this.#open.values()].map(({ name }) => name)])
    for (let number = 1; ; number++) {
      const name = number === 1 ? base : `${base}${number}`
      if (!taken.has(name)) return name
    }
  }
}

const referenceTo = (name: string): Shape => ({
  schema: { $ref: `#/$defs/${name}` },
  conversion: { as: 'ref', name },
})
