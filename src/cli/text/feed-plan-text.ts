import type { PlannedChannel, PlannedMethod } from '../../wrap/feed/plan.js'
import { signatureText } from '../../wrap/kit-writer/signature.js'
import type { Preview } from '../../wrap/preview/preview.js'
import { colours } from '../terminal/output.js'
import { counted, heading, indented, note } from './blocks.js'

/** The plan of a feed as text. */
export function feedPlanText(
  { plan, url, topics, examples, otherMethods, warning }: Extract<Preview, { form: 'feed' }>,
  source: string,
): string {
  const { name, channels, methods, status } = plan
  const counts = `${counted(topics, 'topic')}, ${counted(channels.length, 'channel')}`
  const lines = [heading(name, `${/^file:/.test(url) ? source : url}  ${counts}`), '']
  for (const channel of channels) lines.push(...channelLines(channel, examples[channel.name]))
  lines.push(...methods.flatMap(methodLines))
  lines.push(`  ${colours.cyan(status)}  ${colours.dim('the state of the connection')}`)
  if (otherMethods.length > 0) {
    const names = [...new Set(otherMethods.map((path) => path.split('/').at(-1) ?? path))]
    lines.push(
      '',
      ...note(
        'Methods not included',
        `${otherMethods.slice(0, 20).join('\n')}\nInclude some by name: --methods ${names.slice(0, 5).join(',')}`,
      ),
    )
  }
  if (warning !== undefined) lines.push('', ...note('Warning', warning))
  return lines.join('\n').trimEnd()
}

function channelLines(channel: PlannedChannel, example: unknown): string[] {
  const { tool, variables, uri, topic, field, about, unit, range, labels } = channel
  const meaning = [
    unit === undefined ? '' : `in ${unit}`,
    range === undefined ? '' : `${range[0]} to ${range[1]}`,
    ...Object.entries(labels ?? {}).map(([value, label]) => `${value}: ${label}`),
  ].filter(Boolean)
  return [
    ...(tool === undefined
      ? []
      : [`  ${colours.cyan(`${tool}(${variables.map((one) => `${one}?`).join(', ')})`)}  ${colours.dim('read')}`]),
    `  ${colours.cyan(uri)}  ${colours.dim(field === undefined ? topic : `${topic}, field ${field}`)}`,
    `  ${colours.cyan(`${uri}/history`)}`,
    ...indented(`${about}${meaning.length > 0 ? ` (${meaning.join(', ')})` : ''}.`, 4),
    ...(example === undefined ? [] : indented(colours.dim(`such as ${JSON.stringify(example)}`), 4)),
    '',
  ]
}

const methodLines = ({ tool, path, about, effect, input }: PlannedMethod): string[] => [
  `  ${colours.cyan(signatureText(tool, input))}  ${colours.dim(`${effect}  ${path}`)}`,
  ...indented(`${about}.`, 4),
  '',
]
