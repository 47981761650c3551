/** The reference of Jexo's file formats, generated from their JSON Schemas. */
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { cell } from './commands.mjs'

export function formatPage(folder) {
  const sections = readdirSync(folder)
    .filter((name) => name.endsWith('.schema.json'))
    .sort()
    .map((name) => sectionOf(name, JSON.parse(readFileSync(join(folder, name), 'utf8'))))
  return `# File formats

Every format has a version field and a JSON Schema in \`schemas/\` of the package. Editors validate a file against its schema; the tables list the fields at the top.

${sections.join('\n\n')}
`
}

function sectionOf(name, schema) {
  const { title = name, description = '', required = [], properties = {} } = schema
  const rows = Object.entries(properties).map(([field, one]) => {
    const type = one.const !== undefined ? JSON.stringify(one.const) : [one.type ?? ''].flat().join(' or ')
    return `| \`${field}\`${required.includes(field) ? '' : ' (optional)'} | ${type} | ${cell(one.description ?? '')} |`
  })
  const table =
    rows.length === 0 ? '' : `\n\n| field | type | description |\n| --- | --- | --- |\n${rows.join('\n')}`
  return `## ${title}\n\n\`schemas/${name}\`. ${description}${table}`
}
