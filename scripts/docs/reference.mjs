/** Pages and tables of the docs that are generated from the code. */
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describeOption, serveOptions, usageOf } from '../../dist/serve/serve-options.js'
import { rules } from '../../dist/vet/rules.js'
import { cell, commandPage } from './commands.mjs'
import { errorPage } from './errors.mjs'
import { formatPage } from './formats.mjs'

/** The generated files with their texts, by path from the repository's root. */
export async function generatedFiles(root) {
  return new Map([
    ['docs/reference/commands.md', await commandPage()],
    ['docs/reference/errors.md', errorPage(join(root, 'src'))],
    ['docs/reference/formats.md', formatPage(join(root, 'schemas'))],
    ['docs/reference/rules.md', rulePage()],
    ['docs/guide/running.md', withServeOptions(readFileSync(join(root, 'docs/guide/running.md'), 'utf8'))],
  ])
}

function rulePage() {
  const rows = rules.map(
    ({ id, group, severity, about }) => `| \`${id}\` | ${group} | ${severity} | ${cell(about)} |`,
  )
  return `# Rules of jexo vet

Change the severity of a rule, or turn it off, in \`package.json\` ([project settings](../guide/vetting.md#project-settings)).

| rule | group | severity | finds |
| --- | --- | --- | --- |
${rows.join('\n')}
| \`wire-…\` | wire | error | With \`--wire\`: a failed check against the standard. |
| \`probe-…\` | probe | error | With \`--probe\`: crashes, hangs, protocol errors, invalid results, invalid arguments that are accepted. |
`
}

const start = '<!-- generated: serve options -->\n'
const end = '<!-- end -->'

function withServeOptions(text) {
  const from = text.indexOf(start) + start.length
  const to = text.indexOf(end)
  if (from < start.length || to < from)
    throw new Error('docs/guide/running.md has no place for the options of serve')
  const rows = serveOptions.map((option) => {
    const { variables = [], isForSources } = option
    const names = variables.map((name) => `\`${name}\``).join(', ')
    return `| \`${usageOf(option)}\` | ${names} | ${cell(describeOption({ ...option, variables: [] }))}${isForSources ? ' (`serve` only)' : ''} |`
  })
  const table = [
    '| option of `serve` and packed files | variable | description |',
    '| --- | --- | --- |',
    ...rows,
  ].join('\n')
  return `${text.slice(0, from)}${table}\n${text.slice(to)}`
}
