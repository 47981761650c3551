import { kitErrors } from './errors.js'
import type { Environment } from './settings.js'

/** Options for which 0 is a valid value. */
const mayBeNone = new Set(['JEXO_CLOSE_STREAM_AFTER_MS', 'JEXO_GRACE_MS', 'JEXO_DRAIN_MS', 'JEXO_UPSTREAM_RETRIES'])

/**
 * Reads integers from the environment, one for each limit. Throws a `JexoError` that names a variable that is not an
 * integer.
 */
export function numbersOf<Name extends string>(
  environment: Environment,
  variables: Readonly<Record<string, Name>>,
): Partial<Record<Name, number>> {
  const given = Object.entries(variables).flatMap(([variable, name]) => {
    const text = environment[variable]
    if (text === undefined || text === '') return []
    const isRight = /^\d{1,12}$/.test(text) && (Number(text) > 0 || mayBeNone.has(variable))
    if (!isRight) throw kitErrors.argumentUnreadable(`${variable}=${text}`, 'a whole number, such as 5000')
    return [[name, Number(text)]]
  })
  return Object.fromEntries(given)
}
