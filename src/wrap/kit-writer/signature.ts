import type { JsonSchema } from '../../kit/schema.js'

/** `get_hive(hive, most?)`: a tool by its name and its arguments. */
export function signatureText(name: string, input: JsonSchema): string {
  const required = (input.required ?? []) as readonly string[]
  const names = Object.keys((input.properties ?? {}) as object)
  return `${name}(${names.map((argument) => (required.includes(argument) ? argument : `${argument}?`)).join(', ')})`
}
