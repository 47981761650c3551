/** True if a list contains two items that are equal as JSON. Linear: each item is serialized once, with sorted keys. */
export function hasDuplicates(items: readonly unknown[]): boolean {
  const seen = new Set<unknown>()
  for (const item of items) {
    const key =
      typeof item === 'object' && item !== null ? canonical(item) : typeof item === 'string' ? `"${item}` : item
    if (seen.has(key)) return true
    seen.add(key)
  }
  return false
}

function canonical(value: unknown): string {
  if (typeof value !== 'object' || value === null) return JSON.stringify(value)
  if (Array.isArray(value)) return `[${value.map(canonical).join()}]`
  const keys = Object.keys(value).sort()
  return `{${keys.map((key) => `${JSON.stringify(key)}:${canonical((value as Record<string, unknown>)[key])}`).join()}}`
}
