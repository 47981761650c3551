import { uriComponent } from '../../escape/uri.js'
import type { SharedDatabase, SqlRow } from './database.js'
import type { SqlAnswer } from './driver.js'

/** What all parts of a database bring along. */
export const belongings = (database: SharedDatabase) => ({ settings: database.settings, source: database })

/** What is said of an answer that a ceiling has cut. */
export const cutText = ({ cutBy, rows, bytes }: SqlAnswer): string =>
  cutBy === 'rows'
    ? `These are the first ${rows.length} rows; there are more.`
    : `These are the first ${rows.length} rows (${bytes} bytes, the limit of one result); there are more.`

/** The URI of a row, by its key. */
export function rowUri(template: string, key: readonly string[], row: SqlRow): string {
  let at = 0
  return template.replace(/\{\w+\}/g, () => uriComponent(String(row[key[at++] ?? ''])))
}
