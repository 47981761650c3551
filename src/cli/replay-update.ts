import { createInterface, type Interface } from 'node:readline/promises'
import type { CaseReport } from '../replay/case.js'
import { updatedCase, writeCase } from '../replay/update-case.js'
import { Failed, out, say } from './output.js'

/**
 * Takes over what came as what is expected. On a terminal each change is shown and asked for; elsewhere all are written and shown. What could
 * not be run, and what was left as it is, still fails.
 */
export async function reviewUpdates(failed: readonly CaseReport[]): Promise<void> {
  const terminal = process.stdin.isTTY
    ? createInterface({ input: process.stdin, output: process.stderr })
    : undefined
  let takesAll = terminal === undefined
  let left = 0
  try {
    for (const report of failed) {
      const change = report.problem === undefined ? await updatedCase(report) : undefined
      if (!change) {
        left++
        continue
      }
      say(change.difference)
      const answer = takesAll ? 'y' : await ask(terminal, report.file)
      if (answer === 'a') takesAll = true
      if (answer === 'q') throw new Failed()
      if (answer === 'n') {
        left++
        continue
      }
      await writeCase(report.file, change.text)
      out(`${report.file} updated`)
    }
  } finally {
    terminal?.close()
  }
  if (left > 0) throw new Failed()
}

async function ask(terminal: Interface | undefined, file: string): Promise<string> {
  if (!terminal) return 'y'
  // Ctrl-C and the end of the input both leave everything as it is.
  const ended = new Promise<string>((resolve) => terminal.once('close', () => resolve('q')))
  terminal.once('SIGINT', () => terminal.close())
  for (;;) {
    const asked = terminal.question(`Take this over into ${file}? y yes, n no, a all, q quit: `)
    const answer = (await Promise.race([asked, ended])).trim().toLowerCase().slice(0, 1)
    if (answer !== '' && 'ynaq'.includes(answer)) return answer
  }
}
