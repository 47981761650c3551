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

Every format has a version field and a JSON Schema in the folder \`schemas/\` of the package, with which editors can validate files. The tables list the top-level fields.

${sections.join('\n\n')}
`
}

function sectionOf(name, schema) {
  const { title = name, description = '', required = [], properties = {} } = schema
  const rows = Object.entries(properties).map(([field, one]) => {
    return `| \`${field}\`${required.includes(field) ? '' : ' (optional)'} | ${typeOf(one)} | ${cell(one.description ?? '')} |`
  })
  const table =
    rows.length === 0 ? '' : `\n\n| field | type | description |\n| --- | --- | --- |\n${rows.join('\n')}`
  return `## ${title}\n\nSchema: \`schemas/${name}\`.${description && ` ${description}`}${table}`
}

function typeOf({ const: value, enum: values, type = '' }) {
  if (value !== undefined) return JSON.stringify(value)
  return values ? values.map((one) => JSON.stringify(one)).join(', ') : [type].flat().join(' or ')
}
