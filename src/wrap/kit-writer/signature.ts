import type { JsonSchema } from '../../kit/schema.js'

/** A tool with its arguments: `get_hive(hive, most?)`. */
export function signatureText(name: string, input: JsonSchema): string {
  const required = (input.required ?? []) as readonly string[]
  const names = Object.keys((input.properties ?? {}) as object)
  return `${name}(${names.map((argument) => (required.includes(argument) ? argument : `${argument}?`)).join(', ')})`
}
