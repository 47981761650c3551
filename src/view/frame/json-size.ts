/**
 * Approximate length of a value as JSON, in characters; undefined if it is longer than `most`, or has no JSON. A frame
 * can post a cyclic value, a `Map` or fifty megabytes, and measuring it must not block the host.
 */
export function jsonSize(value: unknown, most: number): number | undefined {
  let size = 0
  const open: unknown[] = [value]
  while (open.length > 0) {
    const item = open.pop()
    if (typeof item === 'string') size += item.length + 2
    else if (typeof item === 'number' || typeof item === 'boolean' || item === null || item === undefined) size += 5
    else if (Array.isArray(item)) {
      size += item.length + 2
      if (size > most) return undefined
      for (const inner of item) open.push(inner)
    } else if (isPlain(item)) {
      for (const [key, inner] of Object.entries(item)) {
        size += key.length + 4
        open.push(inner)
      }
    } else return undefined
    if (size > most) return undefined
  }
  return size
}

function isPlain(value: unknown): value is Record<string, unknown> {
  if (typeof value !== 'object' || value === null) return false
  const above = Object.getPrototypeOf(value)
  return above === null || Object.getPrototypeOf(above) === null
}
