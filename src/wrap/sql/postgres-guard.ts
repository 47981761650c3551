import type { ClientBase } from 'pg'
import { functionsCalled, notAllowed } from './foreign.js'
import { statementsIn } from './tokens.js'

/** Functions that PostgreSQL declares volatile although they only compute, or wait, which the time limit ends. */
const harmless = [
  'random',
  'random_normal',
  'clock_timestamp',
  'timeofday',
  'gen_random_uuid',
  'uuidv4',
  'uuidv7',
  'setseed',
  'pg_sleep',
]

/**
 * Refuses a statement of a model that calls a function with possible side effects, according to PostgreSQL's catalogue:
 * functions that read files, end sessions, change settings or run statements are volatile there. Throws a `Refusal`.
 */
export async function checkForeign(client: ClientBase, text: string): Promise<void> {
  // The tokenizer treats backslashes in strings as the standard does; a server may be configured otherwise.
  await client.query('set local standard_conforming_strings = on')
  const [statement] = statementsIn(text, 'postgres')
  const called = statement ? functionsCalled(statement, 'postgres') : []
  if (called.length === 0) return
  const { rows } = await client.query<{ name: string }>({
    text: `select distinct proname::text as name from pg_catalog.pg_proc
      where proname = any($1::text[]) and provolatile = 'v' and not (proname = any($2::text[])) limit 1`,
    values: [called, harmless],
  })
  const [found] = rows
  if (found) throw notAllowed(`The function ${found.name} (volatile)`)
}

/** Privileges of a role beyond its own tables, as text for the operator; undefined if there are none. */
export async function widePrivileges(client: ClientBase): Promise<string | undefined> {
  const { rows } = await client.query<{ super: boolean; files: boolean }>(
    `select r.rolsuper as super, exists (
       select from pg_catalog.pg_roles f where f.rolname in ('pg_read_server_files', 'pg_write_server_files', 'pg_execute_server_program')
         and pg_catalog.pg_has_role(r.oid, f.oid, 'member')) as files
     from pg_catalog.pg_roles r where r.rolname = current_user`,
  )
  const [role] = rows
  if (role?.super) return 'a superuser, which can read and write files of the server'
  return role?.files ? 'a member of a role that can reach files of the server' : undefined
}
