import { moduleErrors } from '../module/errors.js'

const maxDepth = 400
/** Maximum number of values that YAML aliases may repeat in total. */
const maxRepeated = 2_000_000

/**
 * Limits the size of a document: refuses deep nesting and circular values, and removes aliases that would expand too
 * much. Each value is visited once, however often it is referenced. Returns warnings. Throws a `JexoError`.
 */
export function boundShape(document: unknown, where: string): string[] {
  const sizes = new Map<object, number>()
  const open = new Set<object>()
  const stack: { value: Record<string, unknown>; keys: readonly string[]; at: number; size: number }[] = []
  let left = maxRepeated
  const enter = (value: object) => {
    if (open.has(value)) throw moduleErrors.sourceUnreadable(where, 'it refers to itself by a YAML alias')
    if (stack.length >= maxDepth)
      throw moduleErrors.sourceUnreadable(where, `it is nested more than ${maxDepth} levels deep`)
    open.add(value)
    stack.push({ value: value as Record<string, unknown>, keys: Object.keys(value), at: 0, size: 1 })
  }
  if (isContainer(document)) enter(document)
  for (let top = stack.at(-1); top !== undefined; top = stack.at(-1)) {
    const key = top.keys[top.at++]
    if (key === undefined) {
      sizes.set(top.value, top.size)
      open.delete(top.value)
      stack.pop()
      const parent = stack.at(-1)
      if (parent) parent.size += top.size
      continue
    }
    const child = top.value[key]
    const known = isContainer(child) ? sizes.get(child) : undefined
    if (!isContainer(child)) top.size++
    else if (known === undefined) enter(child)
    else if (known <= left) {
      left -= known
      top.size += known
    } else {
      left = 0
      top.value[key] = Array.isArray(child) ? [] : {}
    }
  }
  return left === 0 ? [`${where}: its aliases repeat more than ${maxRepeated} values; it is too large`] : []
}

const isContainer = (value: unknown): value is object => typeof value === 'object' && value !== null
