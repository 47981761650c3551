import { createInterface, type Interface } from 'node:readline/promises'
import { escapeControls } from '../escape/terminal.js'
import { describeSchema } from '../kit/schema.js'
import type { Answerer, Question, QuestionAnswer } from '../link/server-requests.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { readValue } from '../target/arguments.js'
import { foreignValidator } from '../transport/foreign-validator.js'

export interface Terminal {
  /** Asks for one line; undefined at the end of the input. */
  ask(prompt: string): Promise<string | undefined>
  say(text: string): void
}

/** Asks the user the server's questions on a terminal, field by field. */
export function askOnTerminal(terminal: Terminal = standardTerminal()): Answerer {
  return async (question) => {
    terminal.say(`\nThe server asks: ${question.message}`)
    return question.kind === 'url' ? askToVisit(terminal, question) : askForm(terminal, question)
  }
}

async function askToVisit(
  terminal: Terminal,
  question: Extract<Question, { kind: 'url' }>,
): Promise<QuestionAnswer> {
  terminal.say(`It wants you to open a page on ${new URL(question.url).host}:\n  ${question.url}`)
  return { action: await askAction(terminal, 'Will you open it?') }
}

async function askForm(terminal: Terminal, question: Extract<Question, { kind: 'form' }>): Promise<QuestionAnswer> {
  const fields = Object.entries(isObject(question.schema.properties) ? question.schema.properties : {})
  const required = Array.isArray(question.schema.required) ? question.schema.required : []
  const action = await askAction(terminal, fields.length === 0 ? 'Do you agree?' : 'Answer it?')
  if (action !== 'accept' || fields.length === 0) return { action }
  const content: JsonObject = {}
  for (const [name, field] of fields) {
    const value = await askField(terminal, name, isObject(field) ? field : {}, required.includes(name))
    if (value === noMore) return { action: 'cancel' }
    if (value !== undefined) content[name] = value
  }
  return { action: 'accept', content }
}

/** The input ended, or the user pressed Ctrl-C. */
const noMore = Symbol('no more input')

/** Asks until the value is valid for the field; undefined for a skipped field. */
async function askField(
  terminal: Terminal,
  name: string,
  field: JsonObject,
  isRequired: boolean,
): Promise<unknown> {
  const about = typeof field.description === 'string' ? `, ${field.description}` : ''
  const standard = field.default === undefined ? '' : ` [${JSON.stringify(field.default)}]`
  for (;;) {
    const typed = await terminal.ask(`  ${name} (${describeSchema(field)}${about})${standard}: `)
    if (typed === undefined) return noMore
    if (typed === '') {
      if (!isRequired || field.default !== undefined) return undefined
      terminal.say(`  ${name} is required.`)
      continue
    }
    const value = valueFor(field, typed)
    const reason = await reasonAgainst(field, value)
    if (reason === undefined) return value
    terminal.say(`  ${reason}`)
  }
}

/** Several choices are separated by commas. */
function valueFor(field: JsonObject, typed: string): unknown {
  const value = readValue(field, typed, false)
  if (field.type !== 'array' || typed.startsWith('[')) return value
  const items = isObject(field.items) ? field.items : {}
  return typed.split(',').map((item) => readValue(items, item.trim(), false))
}

/** Why a value is not valid for a field; undefined if it is, or if the server's schema cannot be used. */
async function reasonAgainst(field: JsonObject, value: unknown): Promise<string | undefined> {
  try {
    const validate = await foreignValidator.prepare(field)
    const [issue] = validate(value)
    return issue && `${JSON.stringify(value)} is not valid: ${issue.reason}. Try again, or press Ctrl-C to cancel.`
  } catch {
    return undefined
  }
}

/** Asks until the answer is one of the offered keys. */
async function askAction(terminal: Terminal, question: string): Promise<'accept' | 'decline' | 'cancel'> {
  for (;;) {
    const typed = (await terminal.ask(`${question} [y]es, [n]o, Enter to cancel: `))?.trim().toLowerCase()
    if (typed === undefined || typed === '') return 'cancel'
    if ('yes'.startsWith(typed)) return 'accept'
    if ('no'.startsWith(typed)) return 'decline'
    terminal.say('  Type y, n, or press Enter.')
  }
}

function standardTerminal(): Terminal {
  return {
    ask: async (prompt) => {
      const lines: Interface = createInterface({ input: process.stdin, output: process.stderr })
      try {
        return await lines.question(escapeControls(prompt))
      } catch {
        return undefined
      } finally {
        lines.close()
      }
    },
    say: (text) => void process.stderr.write(`${escapeControls(text)}\n`),
  }
}
