import { sizeText } from '../../wrap/folder/confine.js'
import type { FolderPlan } from '../../wrap/folder/plan.js'
import { settingsOf } from '../../wrap/sql/address.js'
import type { PlannedQuery, SqlPlan } from '../../wrap/sql/plan.js'
import { colours } from '../terminal/output.js'
import { counted, heading, indented, note } from './blocks.js'

/** The plan of a database as text. */
export function sqlPlanText(plan: SqlPlan, source: string, tokens: number): string {
  const { tools, tables, skipped, warnings, address, adHoc, prefix } = plan
  const slug = address.name.replaceAll('-', '_')
  const lines = [
    heading(address.name, `${source}  ${counted(tools.length, 'statement')}, ${counted(tables.length, 'table')}`),
    '',
  ]
  lines.push(...tools.flatMap(queryLines))
  if (adHoc)
    lines.push(
      `  ${colours.cyan(`${prefix}ask_${slug}(sql, skip?)`)}  ${colours.dim('read')}`,
      ...indented(`Runs one SELECT; ${prefix}explain_${slug} lists the tables.`, 4),
      '',
    )
  if (tables.length > 0) lines.push(colours.bold('Resources'), `  ${colours.cyan(`${address.name}://schema`)}`)
  for (const { uri, about, isView, columns: named } of tables)
    lines.push(
      `  ${colours.cyan(uri)}  ${colours.dim(isView ? 'view' : counted(named.length, 'column'))}`,
      ...(about ? indented(about, 4) : []),
    )
  if (tables.length > 0) lines.push('')
  lines.push(colours.bold('Settings'))
  for (const [name, { about, default: otherwise }] of Object.entries(settingsOf(address)))
    lines.push(
      `  ${colours.cyan(name)}  ${about}  ${colours.dim(otherwise === undefined ? 'optional' : `default ${otherwise}`)}`,
    )
  lines.push('')
  if (skipped.length > 0) {
    lines.push(heading('Skipped', String(skipped.length)))
    for (const { name, where, reason, fix } of skipped)
      lines.push(`  ${name}  ${colours.dim(where)}`, ...indented(`${reason}; ${fix}`, 4))
    lines.push('')
  }
  if (warnings.length > 0) lines.push(...note('Warnings', warnings.join('\n')))
  if (tools.length > 0)
    lines.push(
      ...note('Context cost', `${counted(tools.length, 'tool')}, about ${tokens.toLocaleString('en')} tokens.`),
    )
  else if (!adHoc)
    lines.push(...note('No tools', 'Add statements with --queries, or a tool that runs a SELECT with --ad-hoc.'))
  return lines.join('\n').trimEnd()
}

function queryLines({ name, input, effect, where, about, isDescribed }: PlannedQuery): string[] {
  const required = (input.required ?? []) as readonly string[]
  const names = Object.keys((input.properties ?? {}) as object).map((one) =>
    required.includes(one) ? one : `${one}?`,
  )
  return [
    `  ${colours.cyan(`${name}(${names.join(', ')})`)}  ${colours.dim(effect)}  ${colours.dim(where)}`,
    ...indented(isDescribed ? about : colours.dim(about), 4),
    '',
  ]
}

/** The plan of a folder as text. */
export function folderPlanText(plan: FolderPlan, source: string): string {
  const { name, types, files, bytes, tool, tooLarge, isCut } = plan
  const lines = [heading(name, `${source}  ${counted(files, 'file')}, ${sizeText(bytes)}`), '']
  if (tool !== undefined)
    lines.push(
      `  ${colours.cyan(`${tool}(query, most?, within?)`)}  ${colours.dim('read')}`,
      ...indented('Searches; returns passages with file, heading and lines.', 4),
      '',
    )
  lines.push(colours.bold('Resources'), `  ${colours.cyan(`${name}://{+path}`)}`)
  const width = Math.max(...types.map(({ mimeType }) => mimeType.length), 0)
  for (const { mimeType, files: count, bytes: size, isSearched } of types.slice(0, 20))
    lines.push(
      `    ${mimeType.padEnd(width)}  ${String(count).padStart(6)}  ${sizeText(size).padStart(9)}${isSearched || tool === undefined ? '' : colours.dim('  not searched')}`,
    )
  lines.push('')
  if (tooLarge.length > 0)
    lines.push(
      ...note(
        'Too large to search',
        `${tooLarge.slice(0, 5).join('\n')}${tooLarge.length > 5 ? `\nand ${tooLarge.length - 5} more` : ''}`,
      ),
    )
  if (isCut) lines.push(...note('Cut', 'There are more files than the limit; narrow them with --only or --except.'))
  return lines.join('\n').trimEnd()
}
