import { readFile } from 'node:fs/promises'
import { closestTo } from '../kit/closest.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { readYamlOr } from '../yaml/read-yaml.js'
import { rehearseErrors } from './errors.js'

/** A question of a user, and the tool that a model should pick for it. */
export interface Question {
  ask: string
  /** Name of the tool; `none` if no tool is suitable. */
  tool: string
  /** Arguments that the model should extract; additional ones are allowed. */
  with?: JsonObject
}

/**
 * Reads a file of questions (`schemas/questions.schema.json`). Rejects with a `JexoError` that names the line or the
 * question with the error.
 */
export async function readQuestions(file: string): Promise<Question[]> {
  const text = await readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw rehearseErrors.questionsUnreadable(file, error.code ?? error.message)
  })
  return parseQuestions(file, text)
}

/** Throws a `JexoError` for a question whose expected tool does not exist. */
export function checkTools(file: string, questions: readonly Question[], tools: readonly string[]): void {
  for (const [at, { tool }] of questions.entries()) {
    if (tool === 'none' || tools.includes(tool)) continue
    const closest = closestTo(tool, tools)
    throw rehearseErrors.questionsUnreadable(
      file,
      `question ${at + 1} expects the tool "${tool}", which the server does not have`,
      closest.length > 0 ? `did you mean ${closest.join(', ')}?` : 'name a tool of the server, or none',
    )
  }
}

export function parseQuestions(file: string, text: string): Question[] {
  const { value } = readYamlOr(text, (located) => rehearseErrors.questionsUnreadable(file, located))
  if (!isObject(value) || value.version !== 1 || !Array.isArray(value.questions) || value.questions.length === 0)
    throw rehearseErrors.questionsUnreadable(file, 'it has no "version: 1" and a list "questions"')
  return value.questions.map((entry, at) => {
    const isWhole =
      isObject(entry) &&
      typeof entry.ask === 'string' &&
      entry.ask.trim() !== '' &&
      typeof entry.tool === 'string' &&
      (entry.with === undefined || isObject(entry.with))
    if (!isWhole) throw rehearseErrors.questionsUnreadable(file, `question ${at + 1} is not {ask, tool, with?}`)
    return entry as unknown as Question
  })
}
