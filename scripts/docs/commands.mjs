/** The reference of commands and options, generated from the declarations that the command line uses. */
import { verbs } from '../../dist/command/main.js'

/** Escapes characters that Markdown or HTML would take for markup. */
export const cell = (text) => text.replaceAll('|', '\\|').replaceAll('<', '&lt;').replaceAll('{{', '&#123;&#123;')

export async function commandPage() {
  const sections = []
  for (const load of Object.values(verbs)) {
    const command = (await load())()
    sections.push(sectionOf(command))
  }
  return `# Commands

Run \`npx jexo <command>\`; in a checkout, \`node bin/jexo.mjs <command>\`. Every command has \`--help\`.

A *target* is a kit file, an http(s):// URL, \`exec:<command line>\`, \`<host config file>#<entry>\` or a packed file. Results are printed on stdout, everything else on
stderr. Exit codes: 0 success, 1 operation failed, 2 usage or connection error.

${sections.join('\n\n')}
`
}

function sectionOf(command) {
  const args = command.registeredArguments
  const example = exampleOf(command)
  return [
    `## jexo ${command.name()}`,
    `${command.description()}.`,
    `\`\`\`sh\njexo ${command.name()} ${command.usage()}\n\`\`\``,
    args.length > 0
      ? table(
          'argument',
          args.map((one) => [`\`${one.name()}\``, withChoices(one.description, one.argChoices)]),
        )
      : '',
    table('option', command.options.filter(({ hidden }) => !hidden).map(optionRow)),
    example === '' ? '' : `\`\`\`sh\n${example}\n\`\`\``,
  ]
    .filter((part) => part !== '')
    .join('\n\n')
}

const withChoices = (description, choices) =>
  choices ? `${description}; one of ${choices.join(', ')}` : description

const optionRow = ({ flags, description, argChoices, defaultValue }) => [
  `\`${flags}\``,
  [withChoices(description, argChoices), typeof defaultValue === 'string' ? `default: ${defaultValue}` : '']
    .filter(Boolean)
    .join('; '),
]

const table = (head, rows) =>
  rows.length === 0
    ? ''
    : [
        `| ${head} | description |`,
        '| --- | --- |',
        ...rows.map(([name, about]) => `| ${name.replaceAll('|', '\\|')} | ${cell(about)} |`),
      ].join('\n')

/** The example lines that `--help` prints after the options. */
function exampleOf(command) {
  let text = ''
  command.configureOutput({ writeOut: (part) => (text += part) })
  command.outputHelp()
  const at = text.search(/^Examples?: /m)
  if (at < 0) return ''
  return text
    .slice(at)
    .replace(/^Examples?: /, '')
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => /^(jexo|A real host, live: jexo|Beside it)/.test(line))
    .map((line) => line.replace(/^[A-Z][^:]*: /, ''))
    .join('\n')
}
