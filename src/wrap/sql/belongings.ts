import { uriComponent } from '../../escape/uri.js'
import type { SharedDatabase, SqlRow } from './database.js'
import type { SqlResult } from './driver.js'

/** Settings and connections that all parts of a database share. */
export const belongings = (database: SharedDatabase) => ({ settings: database.settings, source: database })

/** Note about a result that was cut by a limit. */
export const cutText = ({ cutBy, rows, bytes }: SqlResult): string =>
  cutBy === 'rows'
    ? `These are the first ${rows.length} rows; there are more.`
    : `These are the first ${rows.length} rows (${bytes} bytes, the limit of one result); there are more.`

/** The URI of a row, from its key. */
export function rowUri(template: string, key: readonly string[], row: SqlRow): string {
  let at = 0
  return template.replace(/\{\w+\}/g, () => uriComponent(String(row[key[at++] ?? ''])))
}
