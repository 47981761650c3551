/**
 * The functions and table-valued functions of SQLite that only compute from their arguments. Ad-hoc statements may use
 * only these, since some builds of SQLite contain functions that read and write files.
 */
const functions = `
-> ->> abs acos acosh asin asinh atan atan2 atanh atn2 avg bm25 ceil ceiling changes char charindex coalesce concat concat_ws cos cosh
cot coth count cume_dist current_date current_time current_timestamp date datetime degrees dense_rank difference exp first_value floor
format glob group_concat hex highlight ifnull iif instr json json_array json_array_length json_error_position json_extract
json_group_array json_group_object json_insert json_object json_patch json_quote json_remove json_replace json_set json_type json_valid
jsonb jsonb_array jsonb_extract jsonb_group_array jsonb_group_object jsonb_insert jsonb_object jsonb_patch jsonb_remove jsonb_replace
jsonb_set julianday lag last_insert_rowid last_value lead leftstr length like likelihood likely ln log log10 log2 lower lower_quartile
ltrim match matchinfo max median min mod mode nth_value ntile nullif octet_length offsets padc padl padr percent_rank pi pow power printf
proper quote radians random randomblob rank replace replicate reverse rightstr round row_number rtrim sign sin sinh snippet soundex
sqlite_version sqrt square stdev strfilter strftime string_agg substr substring subtype sum tan tanh time timediff total total_changes
trim trunc typeof unhex unicode unixepoch unlikely upper upper_quartile uuid uuid_blob uuid_str variance vector vector16 vector1bit
vector32 vector64 vector8 vector_distance_cos vector_distance_l2 vector_extract zeroblob`

/** Table-valued functions by name; those of PRAGMA describe the tables and nothing else. */
const tables = `
json_each json_tree generate_series vector_top_k pragma_table_info pragma_table_xinfo pragma_table_list pragma_index_list pragma_index_info
pragma_index_xinfo pragma_foreign_key_list`

const words = (text: string): string[] => text.split(/\s+/).filter(Boolean)

/** The rules for compiled statements in the process that has opened the file. */
export interface SqliteGuard {
  readonly functions: readonly string[]
  readonly tables: readonly string[]
}
export const sqliteGuard: SqliteGuard = { functions: words(functions), tables: words(tables) }
