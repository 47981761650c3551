import { oneLine } from '../escape/one-line.js'
import type { ToolPart } from '../kit/part.js'
import type { Packed } from './pack-kit.js'

/** The README of a package: its tools, how to run it, and its settings. */
export function readmeFor({ kit, settings }: Packed, command: string): string {
  const tools = kit.parts.filter((part): part is ToolPart => part.kind === 'tool')
  const rows = tools.map(({ name, about }) => `| \`${name}\` | ${inCell(about)} |`)
  const variables = settings.map(
    ({ name, about, default: usual, isSecret, isNeeded }) =>
      `| \`${name}\` | ${inCell(about)}${isSecret ? ' A secret.' : ''} | ${isNeeded ? 'required' : usual === undefined || isSecret ? '' : `\`${inCell(usual).replaceAll('`', "'")}\``} |`,
  )
  return [
    `# ${inLine(kit.title ?? kit.name)}`,
    '',
    ...(kit.about === undefined ? [] : [kit.about.replaceAll('<', '&lt;'), '']),
    'A Model Context Protocol server.',
    '',
    '```sh',
    `${command}                 # on stdin and stdout, as hosts start it`,
    `${command} --http 4870     # over HTTP`,
    '```',
    ...(rows.length > 0 ? ['', '| tool | description |', '| --- | --- |', ...rows] : []),
    ...(variables.length > 0 ? ['', '| variable | purpose | default |', '| --- | --- | --- |', ...variables] : []),
    '',
  ].join('\n')
}

/** Escapes text for Markdown, so that it can neither open an HTML element nor end its line. */
const inLine = (text: string) => oneLine(text).replaceAll('<', '&lt;')
const inCell = (text: string) => inLine(text).replaceAll('|', '\\|').replace(/\s+/g, ' ')
