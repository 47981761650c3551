import { cut, plainText } from '../http-api/plain-text.js'
import type { ReadOperation } from './reading.js'

/** Hosts may cut descriptions that are longer than this. */
const maxCharacters = 1000

/**
 * Description of an operation for the model: summary, description and response. Derived from method and path if there
 * is none.
 */
export function aboutOf(
  operation: ReadOperation,
  argumentNames: readonly string[],
): { about: string; isDescribed: boolean } {
  const { summary, description, isDeprecated, method, path } = operation
  const first = plainText(summary, 300)
  const more = plainText(description, 800)
  const isDescribed = first !== '' || more !== ''
  const taken = argumentNames.length > 0 ? `, by ${argumentNames.slice(0, 8).join(', ')}` : ''
  const said = isDescribed ? joined(first, more) : `${verbs[method] ?? method} ${path}${taken}.`
  const gives = givesOf(operation)
  const parts = [...(isDeprecated ? ['Deprecated.'] : []), said, ...(gives === '' ? [] : [`Returns: ${gives}`])]
  return { about: cut(parts.join('\n'), maxCharacters), isDescribed }
}

const verbs: Readonly<Record<string, string>> = {
  GET: 'Gets',
  POST: 'Posts to',
  PUT: 'Puts',
  PATCH: 'Patches',
  DELETE: 'Deletes',
}

function joined(summary: string, description: string): string {
  if (summary === '') return description
  if (description === '' || description.toLowerCase().startsWith(summary.toLowerCase().replace(/\.$/, '')))
    return description || sentence(summary)
  return `${sentence(summary)} ${description}`
}

const sentence = (text: string) => (/[.!?:]$/.test(text) ? text : `${text}.`)

/** The description of the first response that is not an error, unless it is empty of meaning. */
function givesOf({ responses }: ReadOperation): string {
  const good =
    responses.find(({ status }) => /^2/.test(status)) ?? responses.find(({ status }) => status === 'default')
  const text = plainText(good?.description ?? '', 200)
  return /^(ok|success(ful)?( (operation|response))?|response|default response|created|no content|accepted|successful)?\.?$/i.test(
    text,
  )
    ? ''
    : sentence(text)
}
