/** Marks that are recognised across two copies of the package, which `instanceof` is not. */
export const brands = {
  kit: Symbol.for('jexo.kit'),
  part: Symbol.for('jexo.part'),
  shared: Symbol.for('jexo.shared'),
  setting: Symbol.for('jexo.setting'),
  refusal: Symbol.for('jexo.refusal'),
  content: Symbol.for('jexo.content'),
  noOutput: Symbol.for('jexo.noOutput'),
  outcome: Symbol.for('jexo.outcome'),
  layer: Symbol.for('jexo.layer'),
} as const

export function hasBrand(value: unknown, brand: symbol): boolean {
  return (typeof value === 'object' || typeof value === 'function') && value !== null && brand in value
}

/** Adds a mark that is invisible to JSON and to the spread operator, and freezes the value. */
export function branded<T extends object>(value: T, brand: symbol, mark: unknown = true): Readonly<T> {
  return Object.freeze(Object.defineProperty(value, brand, { value: mark }))
}

/** The description of a value of the wrong kind in an error. */
export function nameOf(value: unknown): string {
  if (value === undefined || value === null) return String(value)
  if (Array.isArray(value)) return 'an array'
  if (typeof value === 'object') return 'an object'
  return `a ${typeof value}`
}
