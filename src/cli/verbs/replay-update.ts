import { createInterface } from 'node:readline'
import type { CaseReport } from '../../replay/case.js'
import { updatedCase, writeCase } from '../../replay/update-case.js'
import { Failed, out, say } from '../terminal/output.js'

/**
 * Accepts received results as expected ones. On a terminal each change is shown and confirmed; elsewhere all are
 * written and shown. Steps that could not run, and steps that were not updated, still fail.
 */
export async function reviewUpdates(failed: readonly CaseReport[]): Promise<void> {
  const person = process.stdin.isTTY ? new Reviewer() : undefined
  let left = 0
  try {
    for (const report of failed) {
      const change = report.problem === undefined ? await updatedCase(report) : undefined
      if (change) say(change.difference)
      if (!change || (person && !(await person.takes(report.file)))) {
        left++
        continue
      }
      await writeCase(report.file, change.text)
      out(`${report.file} updated`)
    }
  } finally {
    person?.end()
  }
  if (left > 0) throw new Failed()
}

/** Asks for each file. Ctrl-C and the end of the input leave the remaining files unchanged. */
class Reviewer {
  readonly #terminal = createInterface({ input: process.stdin, output: process.stderr })
  readonly #lines = this.#terminal[Symbol.asyncIterator]()
  #forAll: boolean | undefined

  constructor() {
    this.#terminal.once('SIGINT', () => this.#terminal.close())
  }

  async takes(file: string): Promise<boolean> {
    while (this.#forAll === undefined) {
      this.#terminal.setPrompt(`Accept this as expected in ${file}? y yes, n no, a all, q quit: `)
      this.#terminal.prompt()
      const { value, done } = await this.#lines.next()
      const answer = done ? 'q' : String(value).trim().toLowerCase().slice(0, 1)
      if (answer === 'y' || answer === 'n') return answer === 'y'
      if (answer === 'a') this.#forAll = true
      if (answer === 'q') this.#forAll = false
    }
    return this.#forAll
  }

  end(): void {
    this.#terminal.close()
  }
}
