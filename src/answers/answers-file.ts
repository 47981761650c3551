import { readFile } from 'node:fs/promises'
import { alwaysAnswer, answersFrom, type ReadyAnswer } from '../link/answerers.js'
import type { Answerer } from '../link/server-requests.js'
import { isObject } from '../protocol/messages.js'
import { readYamlOr } from '../yaml/read-yaml.js'
import { answersErrors } from './errors.js'

const actions = ['accept', 'decline', 'cancel'] as const

/**
 * Makes the answers that `--answers` asks for: `accept`, `decline` or `cancel` for every question, or those of a file,
 * in order (`schemas/answers.schema.json`). `onNone` is called for a question without a matching answer.
 */
export async function readAnswerer(given: string, onNone: (message: string) => void): Promise<Answerer> {
  const always = actions.find((action) => action === given)
  if (always) return alwaysAnswer(always)
  let text: string
  try {
    text = await readFile(given, 'utf8')
  } catch (error) {
    throw answersErrors.answersUnreadable(given, (error as NodeJS.ErrnoException).code ?? String(error))
  }
  return answersFrom(parseAnswers(given, text), onNone)
}

/** Parses an answers file, YAML or JSON. Throws a `JexoError` that names the line or the entry with the error. */
export function parseAnswers(file: string, text: string): ReadyAnswer[] {
  const { value } = readYamlOr(text, (located) => answersErrors.answersUnreadable(file, located))
  if (!isObject(value) || value.version !== 1 || !Array.isArray(value.answers)) {
    throw answersErrors.answersUnreadable(file, 'it has no "version: 1" and a list "answers"')
  }
  return value.answers.map((entry, index) => {
    const isWhole =
      isObject(entry) &&
      actions.some((action) => action === entry.action) &&
      (entry.about === undefined || typeof entry.about === 'string') &&
      (entry.content === undefined || isObject(entry.content))
    if (!isWhole)
      throw answersErrors.answersUnreadable(file, `answer ${index + 1} is not {about?, action, content?}`)
    return entry as unknown as ReadyAnswer
  })
}
