import { createInterface, type Interface } from 'node:readline/promises'
import { escapeControls } from '../escape/terminal.js'
import { describeSchema } from '../kit/schema.js'
import type { Answerer, Question, QuestionAnswer } from '../link/answering.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { readValue } from '../target/arguments.js'

export interface Terminal {
  /** Asks for one line; undefined if there are no more. */
  ask(prompt: string): Promise<string | undefined>
  say(text: string): void
}

/** Puts a server's questions to the person at a terminal, field by field. */
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
  return { action: actionOf(await terminal.ask('Will you open it? [y]es, [n]o, Enter to leave it: ')) }
}

async function askForm(terminal: Terminal, question: Extract<Question, { kind: 'form' }>): Promise<QuestionAnswer> {
  const fields = Object.entries(isObject(question.schema.properties) ? question.schema.properties : {})
  const required = Array.isArray(question.schema.required) ? question.schema.required : []
  if (fields.length === 0) return { action: actionOf(await terminal.ask('[y]es, [n]o, Enter to leave it: ')) }
  const first = actionOf(await terminal.ask('Answer it? [y]es, [n]o, Enter to leave it: '))
  if (first !== 'accept') return { action: first }
  const content: JsonObject = {}
  for (const [name, field] of fields) {
    const value = await askField(terminal, name, isObject(field) ? field : {}, required.includes(name))
    if (value !== undefined) content[name] = value
  }
  return { action: 'accept', content }
}

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
    if (typed === undefined) return undefined
    if (typed !== '') return readValue(field, typed, false)
    if (!isRequired || field.default !== undefined) return undefined
    terminal.say(`  ${name} is required.`)
  }
}

function actionOf(typed: string | undefined): 'accept' | 'decline' | 'cancel' {
  if (/^y/i.test(typed ?? '')) return 'accept'
  return /^n/i.test(typed ?? '') ? 'decline' : 'cancel'
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
