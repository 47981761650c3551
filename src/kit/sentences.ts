import type { SchemaIssue } from './validation.js'

/** Message for an unknown property; for the input of a tool, it says "argument". */
export const noSuchProperty = 'there is no such property'
export const isRequired = 'it is required'

const number = (text: string) => /-?\d+(?:\.\d+)?(?:e[+-]?\d+)?(?=[^\d]*$)/i.exec(text)?.[0] ?? '?'
const quoted = (text: string) => /"((?:[^"\\]|\\.)*)"[^"]*$/.exec(text)?.[1] ?? ''

/** The interpreter's messages in the compiling validator's wording, by keyword. */
const sentences: Readonly<Record<string, (text: string) => string>> = {
  false: () => 'boolean schema is false',
  type: (text) => `must be ${/Expected "(.*)"/.exec(text)?.[1]?.replaceAll('", "', ',') ?? 'of another type'}`,
  const: () => 'must be equal to constant',
  enum: () => 'must be equal to one of the allowed values',
  not: () => 'must NOT be valid',
  anyOf: () => 'must match a schema in anyOf',
  oneOf: () => 'must match exactly one schema in oneOf',
  if: () => 'must match "then" or "else" schema',
  required: () => isRequired,
  additionalProperties: () => noSuchProperty,
  unevaluatedProperties: () => noSuchProperty,
  unknownProperty: () => noSuchProperty,
  minProperties: (text) => `must NOT have fewer than ${number(text)} properties`,
  maxProperties: (text) => `must NOT have more than ${number(text)} properties`,
  propertyNames: () => 'property name must be valid',
  dependentRequired: () => isRequired,
  minItems: (text) => `must NOT have fewer than ${number(text)} items`,
  maxItems: (text) => `must NOT have more than ${number(text)} items`,
  uniqueItems: () => 'must not hold the same item twice',
  contains: () => 'must contain at least 1 valid item(s)',
  minContains: () => 'must contain at least 1 valid item(s)',
  minLength: (text) => `must NOT have fewer than ${number(text)} characters`,
  maxLength: (text) => `must NOT have more than ${number(text)} characters`,
  minimum: (text) => `must be >= ${number(text)}`,
  maximum: (text) => `must be <= ${number(text)}`,
  exclusiveMinimum: (text) => `must be > ${number(text)}`,
  exclusiveMaximum: (text) => `must be < ${number(text)}`,
  multipleOf: (text) => `must be multiple of ${number(text)}`,
  pattern: (text) => `must match pattern "${quoted(text)}"`,
  format: (text) => `must match format "${quoted(text)}"`,
}

/** Converts the interpreter's messages to Jexo's wording. */
export const sentenceFor = (keyword: string, text: string): string =>
  Object.hasOwn(sentences, keyword) ? (sentences[keyword]?.(text) ?? text) : text

/** Removes duplicate issues: a value can violate one rule in several branches of its schema. */
export function distinctIssues<Issue extends SchemaIssue>(issues: readonly Issue[]): Issue[] {
  const seen = new Set<string>()
  return issues.filter(({ path, reason }) => {
    const key = JSON.stringify([path, reason])
    return !seen.has(key) && seen.add(key)
  })
}
