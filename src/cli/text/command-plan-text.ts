import type { CommandPlan } from '../../wrap/command/plan.js'
import { colours, columns, wrapped } from '../terminal/output.js'

/** The plan of a program as text. */
export function commandPlanText({ program, tools }: CommandPlan, source: string, tokens: number): string {
  const counted = `${tools.length} tool${tools.length === 1 ? '' : 's'}`
  const lines = [`${colours.bold(program)}  ${colours.dim(`${source}  ${counted}`)}`, '']
  for (const { name, command } of tools) {
    const names = Object.entries(command.arguments ?? {}).map(([one, { required }]) => (required ? one : `${one}?`))
    const shown = names.length > 8 ? [...names.slice(0, 8), `… ${names.length - 8} more`] : names
    const run = [program, ...(command.run ?? [])].join(' ')
    lines.push(
      `  ${colours.cyan(`${name}(${shown.join(', ')})`)}  ${colours.dim(`${command.effect ?? 'change'}  ${run}`)}`,
      ...wrapped(command.about, columns() - 4).map((line) => `    ${line}`),
      '',
    )
  }
  lines.push(colours.bold('Context cost'), `  ${counted}, about ${tokens.toLocaleString('en')} tokens.`)
  return lines.join('\n')
}
