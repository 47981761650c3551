/**
 * About how many characters a value has as JSON; undefined if it has more than `most`, or cannot be JSON. What a frame posts may be a circle, a
 * `Map` or fifty megabytes, and the host must not be kept busy by it.
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
