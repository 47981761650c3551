import { effectOf } from '../../kit/effects.js'
import { isObject } from '../../protocol/messages.js'
import type { ServerPlan } from '../../wrap/server/plan.js'
import { colours } from '../terminal/output.js'
import { counted, indented } from './blocks.js'

const firstLine = (text: string) => text.trim().split('\n')[0]?.slice(0, 300) ?? ''

/** The plan of a server as text. */
export function serverPlanText(plan: ServerPlan, source: string, tokens: number): string {
  const { server, tools, resources, templates, prompts, skipped } = plan
  const counts = [
    counted(tools.length, 'tool'),
    counted(resources.length + templates.length, 'resource'),
    counted(prompts.length, 'prompt'),
  ]
  const lines = [
    `${colours.bold(`${server.title ?? server.name} ${server.version}`)}  ${colours.dim(`${source}  ${counts.join(', ')}`)}`,
    '',
  ]
  for (const { name, as, definition } of tools) {
    const { properties, required } = definition.inputSchema
    const needed = Array.isArray(required) ? required : []
    const names = Object.keys(isObject(properties) ? properties : {}).map((one) =>
      needed.includes(one) ? one : `${one}?`,
    )
    const was = as === name ? '' : `  ${colours.dim(`was ${name}`)}`
    lines.push(
      `  ${colours.cyan(`${as}(${names.join(', ')})`)}  ${colours.dim(effectOf(definition.annotations))}${was}`,
      ...indented(firstLine(definition.description ?? definition.title ?? colours.dim('no description')), 4),
      '',
    )
  }
  if (resources.length + templates.length > 0) {
    lines.push(colours.bold('Resources'))
    const uris = [...resources.map(({ uri }) => uri), ...templates.map(({ uriTemplate }) => uriTemplate)]
    lines.push(...uris.slice(0, 20).map((uri) => `  ${colours.cyan(uri)}`))
    if (uris.length > 20) lines.push(colours.dim(`  and ${uris.length - 20} more`))
    lines.push('')
  }
  if (prompts.length > 0) {
    lines.push(colours.bold('Prompts'))
    for (const { as, definition } of prompts) {
      const names = (definition.arguments ?? []).map((one) => (one.required ? one.name : `${one.name}?`))
      lines.push(`  ${colours.cyan(`${as}(${names.join(', ')})`)}`)
    }
    lines.push('')
  }
  if (skipped.length > 0) {
    lines.push(`${colours.bold('Skipped')}  ${colours.dim(String(skipped.length))}`)
    for (const { kind, name, reason } of skipped.slice(0, 50))
      lines.push(`  ${kind} ${name}`, ...indented(reason, 4))
    lines.push('')
  }
  if (tools.length > 0)
    lines.push(
      colours.bold('Context cost'),
      `  ${counted(tools.length, 'tool')}, about ${tokens.toLocaleString('en')} tokens.`,
      ...(tools.length >= 30
        ? indented('Models choose better among fewer tools: select some with --only.', 2)
        : []),
    )
  return lines.join('\n').trimEnd()
}
