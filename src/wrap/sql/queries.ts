import type { Effect } from '../../kit/effects.js'
import type { JsonSchema } from '../../kit/schema.js'
import { LineIndex } from '../source/line-index.js'
import { parametersOf, type SqlDialect, type Statement, statementsIn, type Token } from './tokens.js'

/** A statement of a file, with the notes in the comment before it. */
export interface Query {
  /** `batches.sql:4`. */
  readonly where: string
  readonly name: string
  readonly title?: string
  readonly about: string
  readonly effect?: Effect
  readonly tags: readonly string[]
  /** Returns only the first row, as the result itself. */
  readonly isOne: boolean
  readonly confirm?: string
  readonly parameters: ReadonlyMap<string, ParameterNotes>
  readonly examples: readonly Readonly<Record<string, unknown>>[]
  /** The problem with the comment. */
  readonly faults: readonly string[]
  readonly statement: Statement
}
export interface ParameterNotes {
  readonly about: string
  readonly schema: JsonSchema
  readonly isOptional: boolean
}

const types: Readonly<Record<string, JsonSchema>> = {
  integer: { type: 'integer' },
  number: { type: 'number' },
  string: { type: 'string' },
  boolean: { type: 'boolean' },
  date: { type: 'string', format: 'date' },
  time: { type: 'string', format: 'date-time' },
}
/** Maximum number of items of a list with placeholders. */
const maxItems = 1000
const effects = ['read', 'add', 'change', 'remove'] as const

/** The statements of a `.sql` file; each is a tool, described by the comment before it. */
export function queriesIn(text: string, fileName: string, dialect: SqlDialect): Query[] {
  const statements = statementsIn(text, dialect)
  const stem = fileName.replace(/\.sql$/i, '').replace(/[^A-Za-z0-9_.-]+/g, '_')
  const index = new LineIndex(text)
  return statements.map((statement, at) => {
    const line = index.lineAt(statement.at)
    const name = statements.length === 1 ? stem : `${stem}_${at + 1}`
    return { ...noted(statement, name), where: `${fileName}:${line}`, statement }
  })
}

interface Notes {
  name: string
  title?: string
  effect?: Effect
  confirm?: string
  isOne: boolean
  tags: string[]
  examples: Record<string, unknown>[]
  faults: string[]
  parameters: Map<string, ParameterNotes>
  latest?: string
}

function noted(statement: Statement, stem: string): Omit<Query, 'where' | 'statement'> {
  const notes: Notes = { name: stem, isOne: false, tags: [], examples: [], faults: [], parameters: new Map() }
  const words: string[] = []
  for (const entry of entriesOf(commentText(statement.head))) {
    const [, tag, rest = ''] = /^@(\w+)\s*([\s\S]*)$/.exec(entry) ?? []
    if (tag === undefined) words.push(entry)
    else take(notes, tag, rest.trim())
  }
  const known = parametersOf(statement)
  for (const name of notes.parameters.keys())
    if (!known.includes(name)) notes.faults.push(`@param ${name} is not a parameter of the statement`)
  const { latest: _latest, ...rest } = notes
  return { ...rest, about: words.join(' ').replace(/\s+/g, ' ').trim() }
}

function take(notes: Notes, tag: string, text: string): void {
  if (tag === 'name') notes.name = text
  else if (tag === 'title') notes.title = text
  else if (tag === 'tag' || tag === 'tags') notes.tags.push(...text.split(/[\s,]+/).filter(Boolean))
  else if (tag === 'one') notes.isOne = true
  else if (tag === 'confirm') notes.confirm = text
  else if (tag === 'effect') {
    if (effects.some((known) => known === text)) notes.effect = text as Effect
    else notes.faults.push(`@effect ${text} is not one of ${effects.join(', ')}`)
  } else if (tag === 'example') {
    const example = objectIn(text)
    if (example) notes.examples.push(example)
    else notes.faults.push('@example is not a JSON object')
  } else if (tag === 'param') takeParameter(notes, text)
  else if (!takeOfParameter(notes, tag, text)) notes.faults.push(`@${tag} is not a known tag`)
}

function takeParameter(notes: Notes, text: string): void {
  const [, type, name, about = ''] = /^(?:\{(\w+(?:\[\])?)\}\s*)?(\w+)\s*([\s\S]*)$/.exec(text) ?? []
  if (name === undefined) return void notes.faults.push(`@param ${text} names no parameter`)
  const element = type?.replace(/\[\]$/, '')
  if (element !== undefined && types[element] === undefined)
    notes.faults.push(
      `the type {${type}} of ${name} is not one of ${Object.keys(types).join(', ')}, or a list of one, such as {string[]}`,
    )
  notes.parameters.set(name, {
    about: about.replace(/^-\s*/, ''),
    schema:
      type !== element
        ? { type: 'array', items: types[element ?? ''] ?? {}, minItems: 1, maxItems: maxItems }
        : (types[type ?? ''] ?? {}),
    isOptional: false,
  })
  notes.latest = name
}

/** The description of the last parameter. */
function takeOfParameter(notes: Notes, tag: string, text: string): boolean {
  const { latest } = notes
  const before = latest === undefined ? undefined : notes.parameters.get(latest)
  if (latest === undefined || before === undefined) return false
  const put = (more: JsonSchema, isOptional = before.isOptional) => {
    notes.parameters.set(latest, { ...before, schema: { ...before.schema, ...more }, isOptional })
    return true
  }
  if (tag === 'optional') return put({}, true)
  if (tag === 'default') return put({ default: valueIn(text) }, true)
  if (tag === 'enum') return put({ enum: text.split(/\s*,\s*/).map(valueIn) })
  if (tag === 'format' || tag === 'pattern') return put({ [tag]: text })
  return ['minimum', 'maximum', 'minLength', 'maxLength'].includes(tag) && Number.isFinite(Number(text))
    ? put({ [tag]: Number(text) })
    : false
}

function valueIn(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}

function objectIn(text: string): Record<string, unknown> | undefined {
  const value = valueIn(text)
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? { ...value } : undefined
}

const commentText = (head: readonly Token[]): string =>
  head
    .flatMap(({ kind, text }) => (kind === 'comment' ? [text] : []))
    .map((text) => text.replace(/^--+ ?|^# ?|^\/\*+|\*+\/$/g, '').replace(/^\s*\* ?/gm, ''))
    .join('\n')

/** A tag extends to the next tag; the text before the first tag is the description. */
function entriesOf(text: string): string[] {
  const entries: string[] = []
  for (const line of text.split('\n').map((one) => one.trim())) {
    if (line.startsWith('@') || entries.length === 0) entries.push(line)
    else entries.push(`${entries.pop()} ${line}`)
  }
  return entries.filter(Boolean)
}
