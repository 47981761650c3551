import type { SignInExchange, SignInSide, SignInStep } from '../../access.js'
import { escapeLine } from '../../escape/terminal.js'
import { colours, wrapped } from '../terminal/output.js'

const stageWidth = 22
const mostLines = 8

/** A step of a sign-in as lines: its description, each request, and for a failure the violated rule. */
export function signInStepLines(step: SignInStep, at: number, width: number): string[] {
  const isFailure = step.outcome === 'failure'
  const mark = isFailure ? colours.red('✗') : colours.green('✓')
  const ms = step.durationMs >= 1 ? colours.dim(` ${Math.round(step.durationMs)} ms`) : ''
  const [first = '', ...rest] = wrapped(escapeLine(step.detail), width - stageWidth - 8)
  const indent = ' '.repeat(stageWidth + 5)
  const row = (name: string, text: string) =>
    wrapped(escapeLine(text), width - 14).map((line, index) =>
      index === 0 ? `     ${colours.bold(name.padEnd(8))} ${line}` : `${' '.repeat(14)}${line}`,
    )
  return [
    `${String(at).padStart(2)} ${mark} ${step.stage.padEnd(stageWidth)}${first}${rest.length === 0 ? ms : ''}`,
    ...rest.map((line, index) => `${indent}${line}${index === rest.length - 1 ? ms : ''}`),
    ...step.exchanges.flatMap((exchange) => exchangeLines(exchange, width)),
    ...(step.rule === undefined ? [] : row('rule', step.rule)),
    ...(step.fixedBy === undefined ? [] : row('fix', fixes[step.fixedBy])),
  ]
}

const fixes: Record<SignInSide, string> = {
  server: 'on the side of the server',
  'authorization server': 'on the side of the authorization server',
  client: 'on your side: the client id, its secret or its registration',
  person: 'sign in again, as somebody who has the right',
}

function exchangeLines({ method, url, sent, status, received }: SignInExchange, width: number): string[] {
  const value = (sign: string, data: unknown) => {
    if (data === undefined) return []
    // Line ends in texts are escaped, so the remaining ones separate members.
    const text = JSON.stringify(data, null, 1).replace(/\n\s*/g, ' ')
    const lines = wrapped(escapeLine(text), width - 10)
    const more = lines.length > mostLines ? ' …' : ''
    return lines
      .slice(0, mostLines)
      .map(
        (line, index, all) => `     ${index === 0 ? sign : ' '}   ${line}${index === all.length - 1 ? more : ''}`,
      )
      .map((line) => colours.dim(line))
  }
  return [
    colours.dim(`     ${method} ${escapeLine(url)} ${status === undefined ? '' : `→ ${status}`}`),
    ...value('›', sent),
    ...value('‹', received),
  ]
}
