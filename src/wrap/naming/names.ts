import { snakeCase, wordsOf } from './effect-words.js'

/** Hosts add prefixes to names, and accept about sixty characters in total. */
const maxCharacters = 56

/** The tool name for an operation: its cleaned id, otherwise method and path. */
export function operationName({
  operationId,
  method,
  path,
}: {
  operationId?: string
  method: string
  path: string
}): string {
  const byPath = pathName(method, path)
  if (operationId === undefined) return byPath
  const given = snakeCase(operationId)
  // Some frameworks append path and method to every id.
  const tail = `_${[...pathWords(path.replace(/[{}]/g, '')), method.toLowerCase()].join('_')}`
  const own = given.endsWith(tail) && given.length > tail.length ? given.slice(0, -tail.length) : given
  return own === '' ? byPath : shortened(own)
}

/** `GET /hives/{hive}/inspections` → `get_hives_inspections_by_hive`. */
export function pathName(method: string, path: string): string {
  const names = [...path.matchAll(/\{([^{}]+)\}/g)].flatMap(([, name = '']) => wordsOf(name))
  const fixed = pathWords(path.replace(/\{[^{}]*\}/g, '')).filter((word) => !/^(api|rest|v\d+)$/.test(word))
  const all = [method.toLowerCase(), ...fixed, ...(names.length > 0 ? ['by', ...new Set(names)] : [])]
  return shortened(all.join('_'))
}

const pathWords = (path: string): string[] => path.split('/').flatMap(wordsOf)

function shortened(name: string): string {
  if (name.length <= maxCharacters) return name
  const part = name.slice(0, maxCharacters)
  const end = part.lastIndexOf('_')
  return end > maxCharacters / 2 ? part.slice(0, end) : part
}

/** Makes the names of operations unique, in order; a duplicate is distinguished by its path, then by a number. */
export function uniqueNames<T extends { operationId?: string; method: string; path: string }>(
  operations: readonly T[],
  name: (operation: T) => string,
): { names: Map<T, string>; repeated: readonly T[] } {
  const taken = new Set<string>()
  const names = new Map<T, string>()
  const repeated: T[] = []
  for (const operation of operations) {
    let own = name(operation)
    if (taken.has(own)) {
      repeated.push(operation)
      const byPath = pathName(operation.method, operation.path)
      own = taken.has(byPath) ? own : byPath
      const stem = own
      for (let count = 2; taken.has(own); count++) own = `${stem}_${count}`
    }
    taken.add(own)
    names.set(operation, own)
  }
  return { names, repeated }
}

const generic = /^(the|a|an|of|for|our|official|api|apis|rest|restful|http|service|openapi|swagger|v?\d+)$/

/** The distinctive words of an API's title. */
export function titleWords(title: string): string[] {
  const words = title
    .toLowerCase()
    .replace(/['’]s\b/g, '')
    .split(/[^a-z0-9]+/)
    .filter((word) => word !== '' && !generic.test(word))
  return words.length > 0 ? words.slice(0, 4) : ['api']
}

/** A text as the prefix of setting names: letters, digits and underscores, not beginning with a digit. */
export const settingPrefixFrom = (text: string): string =>
  text
    .toUpperCase()
    .replace(/[^A-Z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '')
    .slice(0, 60)
    .replace(/^(?=\d)/, 'API_') || 'API'
