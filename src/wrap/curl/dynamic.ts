import { isGenerator } from '../http-api/generated.js'
import { variableMark, variableMarks } from './recorded.js'

const prefix = 'generated__'
/** Dynamic variables of `.http` files. */
const names: Readonly<Record<string, string>> = {
  ...{ guid: 'guid', uuid: 'guid', 'random.uuid': 'guid', timestamp: 'timestamp', isoTimestamp: 'datetime' },
  ...{ datetime: 'datetime', localDatetime: 'datetime', randomInt: 'randomInt', 'random.integer': 'randomInt' },
}

/**
 * The mark for a variable that is generated for each request, such as `{{$guid}}` or `{{$timestamp -1 d}}`; undefined
 * for other variables.
 */
export function dynamicMark(given: string): string | undefined {
  const [, name = '', rest = ''] = /^\$([\w.]{1,40})(?:\s+|\(|$)([^)]{0,80})\)?$/.exec(given) ?? []
  const kind = Object.hasOwn(names, name) ? names[name] : undefined
  if (kind === undefined) return undefined
  // Formats of dates are ignored: times are ISO 8601.
  const words = rest
    .replace(/"[^"]*"|'[^']*'|\b(iso8601|rfc1123)\b/g, '')
    .split(/[\s,]+/)
    .filter((word) => /^-?\w{1,16}$/.test(word))
  return variableMark(prefix + [kind, ...words.slice(0, 2)].join('__').replaceAll('-', 'minus'))
}

/**
 * A text whose variables are all generated, such as `order-{{guid}}`; undefined if it contains another variable, or
 * none.
 */
export function generatedText(text: string): string | undefined {
  const marks = [...text.matchAll(variableMarks)].map(([, name = '']) => name)
  if (marks.length === 0 || !marks.every(isGenerated)) return undefined
  return text.replace(variableMarks, (_all, name: string) => {
    const [kind, ...words] = name.slice(prefix.length).split('__')
    return `{{${[kind, ...words.map((word) => word.replace(/^minus/, '-'))].join(' ')}}}`
  })
}

const isGenerated = (name: string): boolean =>
  name.startsWith(prefix) && isGenerator(name.slice(prefix.length).split('__')[0] ?? '')
