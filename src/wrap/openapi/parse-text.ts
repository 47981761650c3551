import { CORE_SCHEMA, load, mergeTag } from 'js-yaml'
import { messageOf } from '../../errors.js'
import { moduleErrors } from '../module/errors.js'

/** Parses a description: JSON, or YAML. Throws a `JexoError` with the position of an error. */
export function parseText(text: string, where: string): unknown {
  const plain = text.replace(/^\ufeff/, '')
  if (plain.trim() === '') throw moduleErrors.sourceUnreadable(where, 'it is empty')
  if (/^\s*</.test(plain))
    throw moduleErrors.sourceUnreadable(
      where,
      'it is HTML or XML, not a description; look for a link to the description on that page',
    )
  if (/^\s*[{[]/.test(plain)) {
    try {
      return JSON.parse(plain)
    } catch (error) {
      // YAML can begin with the same characters.
      return yamlOf(plain, where, error)
    }
  }
  return yamlOf(plain, where)
}

/** Dates stay texts, as in JSON; `<<` merges, as is common practice. */
const schema = CORE_SCHEMA.withTags(mergeTag)

function yamlOf(text: string, where: string, jsonError?: unknown): unknown {
  try {
    return load(text, { schema })
  } catch (error) {
    if (jsonError !== undefined) throw moduleErrors.sourceUnreadable(where, messageOf(jsonError))
    const { reason, mark } = error as { reason?: string; mark?: { line: number; column: number } }
    const place = mark ? ` at line ${mark.line + 1}, column ${mark.column + 1}` : ''
    throw moduleErrors.sourceUnreadable(where, `its YAML is not valid${place}: ${reason ?? messageOf(error)}`)
  }
}
