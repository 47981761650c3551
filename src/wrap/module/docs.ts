import type ts from 'typescript'
import { type Effect, effects } from '../../kit/effects.js'
import type { JsonObject } from '../../protocol/messages.js'
import { isPlatformFile } from './known-types.js'

export type Compiler = typeof ts

/** The content of a doc comment by tag. */
export interface Docs {
  readonly about: string
  readonly title: string | undefined
  readonly returns: string
  readonly throws: readonly string[]
  readonly deprecated: string | undefined
  readonly isInternal: boolean
  readonly effect: Effect | undefined
  readonly examples: readonly string[]
  /** Constraints of the declaration itself, as JSON Schema keywords. */
  readonly constraints: JsonObject
  /** By name, `options.most` for a property of a destructured parameter. */
  readonly parameters: Readonly<Record<string, { about: string; constraints: JsonObject }>>
}

/** A symbol, or the signature of a function if its symbol has no comment. */
export interface Documented {
  getDocumentationComment(checker: ts.TypeChecker | undefined): ts.SymbolDisplayPart[]
  getJsDocTags(checker?: ts.TypeChecker): ts.JSDocTagInfo[]
  readonly declarations?: readonly ts.Declaration[] | undefined
  readonly declaration?: ts.Declaration | undefined
}

const numeric = new Set([
  ...['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'],
  ...['minLength', 'maxLength', 'minItems', 'maxItems', 'minProperties', 'maxProperties'],
])
const textual = new Set(['pattern', 'format', 'contentEncoding', 'contentMediaType'])

/** Reads the doc comment of a symbol. A constraint after a `@param` applies to that parameter. */
export function docsOf(compiler: Compiler, checker: ts.TypeChecker, symbol: Documented): Docs {
  const tags = isOfPlatform(symbol) ? [] : symbol.getJsDocTags(checker)
  const texts = (name: string) => tags.filter((tag) => tag.name === name).map((tag) => textOf(compiler, tag.text))
  const effect = texts('effect')[0]?.trim().split(/\s/)[0]
  const { constraints, parameters } = sortConstraints(compiler, tags)
  return {
    about: isOfPlatform(symbol) ? '' : aboutOf(textOf(compiler, symbol.getDocumentationComment(checker)), texts),
    title: texts('title')[0],
    returns: [...texts('returns'), ...texts('return')].join('\n'),
    throws: [...texts('throws'), ...texts('exception')],
    deprecated: texts('deprecated')[0],
    isInternal: tags.some(({ name }) => name === 'internal' || name === 'private' || name === 'ignore'),
    effect: effects.find((known) => known === effect),
    examples: texts('example'),
    constraints,
    parameters,
  }
}

/** The text of the comment, or of tags that replace it; remarks follow as a separate paragraph. */
function aboutOf(comment: string, texts: (tag: string) => string[]): string {
  const main =
    comment === '' ? [...texts('summary'), ...texts('description'), ...texts('desc')].join('\n\n') : comment
  return [main, ...texts('remarks')]
    .filter((text) => text !== '')
    .map(inParagraphs)
    .join('\n\n')
}

/** Comments of the standard library, such as on `Partial` and `Record`, are ignored. */
function isOfPlatform({ declarations, declaration }: Documented): boolean {
  const all = [...(declarations ?? []), ...(declaration ? [declaration] : [])]
  return all.length > 0 && all.every((one) => isPlatformFile(one.getSourceFile().fileName))
}

function sortConstraints(compiler: Compiler, tags: readonly ts.JSDocTagInfo[]) {
  const constraints: JsonObject = {}
  const parameters: Record<string, { about: string; constraints: JsonObject }> = {}
  const parameterOf = (name: string) => {
    parameters[name] ??= { about: '', constraints: {} }
    return parameters[name]
  }
  let current: string | undefined
  for (const { name: tag, text } of tags) {
    const said = textOf(compiler, text)
    if (tag === 'param' || tag === 'arg' || tag === 'argument') {
      const found = /^\[?([\w$.]+)[^\s\]]*\]?\s*(?:[-–—:]\s*)?([\s\S]*)$/.exec(said)
      current = found?.[1]
      if (current !== undefined) parameterOf(current).about = inParagraphs((found?.[2] ?? '').trim())
      continue
    }
    // `@minimum kg 0` names its parameter; without a name, it applies to the last described parameter.
    const named = /^([A-Za-z_$][\w$.]*)\s+(\S[\s\S]*)$/.exec(said)
    const isNamed = named?.[1] !== undefined && Object.hasOwn(parameters, named[1])
    const found = constraintOf(tag, isNamed ? (named?.[2] ?? '') : said)
    if (!found) {
      if (tag === 'returns' || tag === 'return') current = undefined
      continue
    }
    const target = isNamed ? named?.[1] : current
    Object.assign(target === undefined ? constraints : parameterOf(target).constraints, found)
  }
  return { constraints, parameters }
}

function constraintOf(tag: string, text: string): JsonObject | undefined {
  const given = text.trim()
  if (numeric.has(tag)) {
    const value = Number(given.split(/\s/)[0])
    return given !== '' && Number.isFinite(value) ? { [tag]: value } : undefined
  }
  if (textual.has(tag) && given !== '') return { [tag]: given.replace(/^\/(.+)\/$/, '$1') }
  if (tag === 'integer' || ((tag === 'asType' || tag === 'type') && /^\{?integer\}?$/.test(given))) {
    return { type: 'integer' }
  }
  if (tag === 'uniqueItems') return { uniqueItems: given !== 'false' }
  if (tag === 'default') return defaultOf(given)
  return undefined
}

function defaultOf(text: string): JsonObject | undefined {
  try {
    return { default: JSON.parse(text.replace(/^'(.*)'$/, '"$1"')) as unknown }
  } catch {
    return undefined
  }
}

/** Joins lines that were wrapped for the source file; paragraphs, lists and code stay. */
function inParagraphs(text: string): string {
  return text.replace(/([^\n])\n(?=[^\n\s\-*\d`|#>])/g, '$1 ')
}

export function textOf(compiler: Compiler, parts: ts.SymbolDisplayPart[] | undefined): string {
  return compiler
    .displayPartsToString(parts)
    .replace(/\{@link(?:code|plain)?\s+([^}|\s]+)(?:[|\s]+([^}]*))?\}/g, (_all, target, label) => label || target)
    .trim()
}
