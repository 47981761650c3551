import { isIdentifier } from '../../escape/typescript.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Conversion } from './conversion.js'

/** Types whose value is one expression. */
export const scalars = new Set<Conversion['as']>(['date', 'url', 'bigint', 'bytes', 'buffer', 'set'])

/** Code that turns JSON into a value, for values, lists and objects of values; undefined for deeper ones. */
export function simpleInto(value: string, conversion: Conversion, shape: JsonSchema): string | undefined {
  if (isNullable(shape)) return unlessNull(value, conversion, shape, simpleInto)
  if (conversion.as === 'date') return `new Date(${value})`
  if (conversion.as === 'url') return `new URL(${value})`
  if (conversion.as === 'bigint') return `BigInt(${value})`
  if (conversion.as === 'bytes' || conversion.as === 'buffer') return `Buffer.from(${value}, 'base64')`
  if (conversion.as === 'set' && conversion.items === null) return `new Set(${value})`
  if (conversion.as === 'map' && conversion.isObject && conversion.value === null)
    return `new Map(Object.entries(${value}))`
  return within(value, conversion, shape, simpleInto)
}

/** Code that turns a value into JSON; undefined for values that need the general conversion. */
export function simpleOut(value: string, conversion: Conversion, shape: JsonSchema): string | undefined {
  if (isNullable(shape)) return unlessNull(value, conversion, shape, simpleOut)
  const whole = value.startsWith('await ') ? `(${value})` : value
  if (conversion.as === 'date') return `${whole}.toISOString()`
  if (conversion.as === 'url') return `${whole}.href`
  if (conversion.as === 'bigint') return `String(${value})`
  if (conversion.as === 'bytes' || conversion.as === 'buffer') return `Buffer.from(${value}).toString('base64')`
  if (conversion.as === 'set' && conversion.items === null) return `[...${whole}]`
  if (conversion.as === 'map' && conversion.isObject && conversion.value === null)
    return `Object.fromEntries(${value})`
  if (conversion.as === 'iterable') {
    // Items of a stream have been collected into a list.
    const list = value === 'items' ? 'items' : `[...${whole}]`
    return conversion.items === null
      ? list
      : within(list, { as: 'list', items: conversion.items }, shape, simpleOut)
  }
  return within(whole, conversion, shape, simpleOut)
}

type Simple = (value: string, conversion: Conversion, shape: JsonSchema) => string | undefined

const branchesOf = (shape: JsonSchema) => (shape.anyOf ?? []) as readonly JsonSchema[]
export const isNullable = (shape: JsonSchema) => branchesOf(shape).some(({ type }) => type === 'null')

function unlessNull(value: string, conversion: Conversion, shape: JsonSchema, simple: Simple): string | undefined {
  const inner = branchesOf(shape).find(({ type }) => type !== 'null') ?? {}
  const made = simple(value, conversion, inner)
  return made === undefined ? undefined : `${value} === null ? null : ${made}`
}

function within(value: string, conversion: Conversion, shape: JsonSchema, simple: Simple): string | undefined {
  if (conversion.as === 'list' && conversion.items !== null) {
    const item = simple('item', conversion.items, (shape.items ?? {}) as JsonSchema)
    return item === undefined || value === 'item'
      ? undefined
      : `${value}.map((item) => ${item.startsWith('{') ? `(${item})` : item})`
  }
  if (conversion.as !== 'object' || conversion.others !== null || !/^[\w.]+$/.test(value)) return undefined
  const required = (shape.required ?? []) as readonly string[]
  const shapes = (shape.properties ?? {}) as Record<string, JsonSchema>
  const parts: string[] = []
  for (const [name, inner] of Object.entries(conversion.properties)) {
    const made = isIdentifier(name) ? simple(`${value}.${name}`, inner, shapes[name] ?? {}) : undefined
    if (made === undefined) return undefined
    parts.push(
      required.includes(name)
        ? `${name}: ${made}`
        : `...(${value}.${name} === undefined ? {} : { ${name}: ${made} })`,
    )
  }
  return `{ ...${value}, ${parts.join(', ')} }`
}
