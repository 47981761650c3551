import { Refusal } from '../../kit/refusal.js'
import { isCode, type SqlDialect, type Statement, statementsIn, type Token, wordsOf } from './tokens.js'

/**
 * The single SELECT in a text from a model. Throws a `Refusal` if the text contains no statement, several, or one that
 * is not a SELECT, or if it names a function, catalogue or variable that reads files or administers the server. The
 * drivers check in the database what the text does not show.
 */
export function foreignStatement(text: string, dialect: SqlDialect): string {
  const statements = statementsIn(text, dialect)
  const [statement] = statements
  if (!statement) throw new Refusal('Send a SELECT statement.')
  if (statements.length > 1) throw new Refusal('Send one statement only; this text contains several.')
  const words = wordsOf(statement)
  const [first = ''] = words
  if (!/^(SELECT|WITH|VALUES|EXPLAIN)$/.test(first))
    throw new Refusal(`Only a SELECT is allowed here${first ? `; this is a ${first}` : ''}.`)
  if (statement.tokens.some(({ kind }) => kind === 'parameter'))
    throw new Refusal('Write the values into the statement; parameters are not supported here.')
  if (dialect !== 'sqlite' && words.includes('INTO')) throw new Refusal('SELECT … INTO is not allowed here.')
  const refused = refusedByName(statement, dialect)
  if (refused !== undefined) throw notAllowed(refused)
  return statement.tokens.some(isCode) ? statement.text : ''
}

/** The same message for every function or table that ad-hoc statements may not use. */
export const notAllowed = (name: string): Refusal =>
  new Refusal(`${name} is not allowed in ad-hoc statements: it can reach files, settings or other sessions.`)

/** The functions that a statement calls: names before a bracket, unquoted, in the case that the database uses. */
export function functionsCalled({ tokens }: Pick<Statement, 'tokens'>, dialect: SqlDialect): string[] {
  const code = tokens.filter(isCode)
  const names = code.flatMap((token, at) =>
    isName(token) && code[at + 1]?.text === '(' ? [plainName(token, dialect)] : [],
  )
  return [...new Set(names)]
}

const isName = ({ kind }: Token): boolean => kind === 'word' || kind === 'name'

function plainName({ kind, text }: Token, dialect: SqlDialect): string {
  if (kind === 'word') return text.toLowerCase()
  const [quote = ''] = text
  const inner = text.slice(1, -1)
  const name = quote === '[' ? inner : inner.replaceAll(quote + quote, quote)
  // PostgreSQL keeps the case of quoted names; the other two ignore it.
  return dialect === 'postgres' ? name : name.toLowerCase()
}

const refusedFunctions: Readonly<Record<SqlDialect, RegExp>> = {
  // SQLite compiles a statement before it runs, and its driver checks the compiled program.
  sqlite: /^load_extension$/,
  postgres:
    /^(pg_(read|ls|stat|show|hba|ident|config|relation_file|tablespace|file|log|switch|create|drop|terminate|cancel|reload|rotate|promote|start|stop|backup|wal|replication|notify|advisory|try_advisory|export|import|current_logfile|control|walfile|copy|sequence|nextoid|input)|lo_|lowrite$|loread$|dblink|set_config$|current_setting$|query_to_xml|cursor_to_xml|table_to_xml|schema_to_xml|database_to_xml|crosstab|connectby$|xpath_table$|ts_stat$|nextval$|setval$|currval$|lastval$|inet_(client|server)|txid_|binary_upgrade)/,
  mysql:
    /^(load_file|sys_(eval|exec|get|set|bineval)|lib_mysqludf.*|get_lock|release_(all_)?locks?|is_(free|used)_lock|(master|source)_(pos|gtid)_wait|wait_for_executed_gtid_set|wait_until_sql_thread_after_gtids|benchmark|nextval|setval|lastval|keyring_.*|audit_.*|group_replication_.*|service_get_.*|version_tokens_.*|mysql_.*|des_(en|de)crypt)$/,
}

const refusedTables: Readonly<Record<SqlDialect, RegExp>> = {
  sqlite: /^(fsdir|sqlite_dbpage|dbstat|sqlite_stmt)$/,
  postgres:
    /^pg_(authid|shadow|user_mappings?|hba_file_rules|ident_file_mappings|file_settings|settings|stat_(activity|statements|replication|subscription|wal_receiver|ssl|gssapi)|subscription|largeobject|config|db_role_setting|backend_memory_contexts)$/,
  mysql: /^(processlist|global_priv|innodb_.*|user_privileges)$/,
}
const refusedSchemas = /^(mysql|performance_schema|sys)$/

/** The first name in a statement that these rules refuse. */
function refusedByName(statement: Statement, dialect: SqlDialect): string | undefined {
  const functions = functionsCalled(statement, dialect)
  const called = functions.find((name) => refusedFunctions[dialect].test(name))
  if (called !== undefined) return `The function ${called}`
  const code = statement.tokens.filter(isCode)
  for (const [at, token] of code.entries()) {
    // An escaped name could stand for any of these.
    if (dialect === 'postgres' && /^U$/i.test(token.text) && code[at + 1]?.text === '&')
      return 'A name or text with U&'
    if (dialect === 'mysql' && token.text === '@' && code[at + 1]?.text === '@') return 'A server variable (@@)'
    if (!isName(token)) continue
    const name = plainName(token, dialect)
    if (refusedTables[dialect].test(name)) return `The table ${name}`
    if (dialect === 'mysql' && refusedSchemas.test(name) && code[at + 1]?.text === '.') return `The schema ${name}`
  }
  return dialect === 'mysql' && [...statement.head, ...statement.tokens].some(isExecutableComment)
    ? 'A comment with ! or +'
    : undefined
}

/** MySQL and MariaDB execute comments in `/*! … *\/`, and read hints in `/*+ … *\/`. */
const isExecutableComment = ({ kind, text }: Token): boolean => kind === 'comment' && /^\/\*M?[!+]/.test(text)
