import { readFile, rename, writeFile } from 'node:fs/promises'
import { createTwoFilesPatch } from 'diff'
import { parseDocument } from 'yaml'
import type { CaseReport, Outcome } from './case.js'

/** The case file with the new results as expectations: the text, and the diff. */
export async function updatedCase({
  file,
  steps,
}: CaseReport): Promise<{ text: string; difference: string } | undefined> {
  const before = await readFile(file, 'utf8')
  const document = parseDocument(before)
  let isChanged = false
  for (const [at, { differences, outcome }] of steps.entries()) {
    if (differences.length === 0 || !outcome) continue
    document.setIn(['steps', at, 'expect'], document.createNode(expectationOf(outcome)))
    isChanged = true
  }
  if (!isChanged) return undefined
  const text = document.toString({ lineWidth: 100 })
  const patch = createTwoFilesPatch(file, file, before, text, '', '', { context: 2 })
  return { text, difference: patch.split('\n').slice(4).join('\n').trimEnd() }
}

export async function writeCase(file: string, text: string): Promise<void> {
  await writeFile(`${file}.draft`, text)
  await rename(`${file}.draft`, file)
}

/** The result: structured content if present, otherwise text. */
function expectationOf({ structured, text, failure, error }: Outcome): Record<string, unknown> {
  if (error) return { error }
  if (failure !== undefined) return { failure }
  return structured ? { structured } : { text }
}
