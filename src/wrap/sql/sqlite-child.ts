import type { SqliteGuard } from './sqlite-guard.js'

/** Requests to the process that has opened a SQLite file. */
export type ChildRequest =
  | {
      readonly op: 'open'
      readonly library: string
      readonly file: string
      readonly busyMs: number
      /** Memory limit of SQLite, which also limits values. */
      readonly maxHeapBytes: number
    }
  | {
      readonly op: 'run'
      readonly text: string
      readonly values: readonly unknown[]
      readonly access: 'read' | 'write'
      readonly maxRows: number
      readonly maxBytes: number
      readonly skip: number
      /** For a statement from a model: the only functions and virtual tables that it may use. */
      readonly guard?: SqliteGuard
    }
  | { readonly op: 'make'; readonly library: string; readonly file: string; readonly script: string }
  | { readonly op: 'describe'; readonly text: string }

export interface ChildReply {
  readonly columns?: readonly { name: string; column: string | null; table: string | null; type: string | null }[]
  readonly rows?: unknown[][]
  /** True if there were more rows than the limit. */
  readonly isCut?: boolean
  readonly changed?: number
  readonly failure?: { readonly message: string; readonly code: string }
}

/**
 * The program of that process. A SQLite statement cannot be stopped from the thread that runs it, so it runs in a
 * process that can be killed; SQLite then rolls back uncommitted changes. The function is passed as text, so that a
 * packed kit needs no second file; it must not use anything outside itself. Its functions are methods of one object,
 * since bundlers that keep function names would otherwise insert calls of a helper.
 */
export function childProgram(): void {
  type Statement = {
    reader: boolean
    columns(): { name: string; column: string | null; table: string | null; type: string | null }[]
    raw(): Statement
    all(values: readonly unknown[]): unknown[]
    safeIntegers(on: boolean): Statement
    iterate(values: readonly unknown[]): Iterable<unknown[]>
    run(values: readonly unknown[]): { changes: number }
  }
  type Database = { prepare(text: string): Statement; exec(text: string): void }
  let database: Database

  const own = {
    rowsOf(statement: Statement, request: Extract<ChildRequest, { op: 'run' }>) {
      const rows: unknown[][] = []
      let bytes = 0
      let place = 0
      for (const row of statement.safeIntegers(true).raw().iterate(request.values)) {
        if (place++ < request.skip) continue
        // One row more than the limit shows that there are more.
        if (rows.length > request.maxRows || (bytes > request.maxBytes && rows.length > 1))
          return { rows, isCut: true }
        for (const [at, value] of row.entries()) {
          const size = typeof value === 'string' ? value.length : own.bytesOf(value) * 1.4
          bytes += size
          // A value larger than the whole result is truncated before it is sent.
          if (size > request.maxBytes) row[at] = own.cut(value, request.maxBytes)
        }
        rows.push(row)
      }
      return { rows, isCut: false }
    },

    bytesOf(value: unknown): number {
      return value instanceof ArrayBuffer || ArrayBuffer.isView(value) ? value.byteLength : 8
    },

    cut(value: unknown, maxBytes: number): unknown {
      if (typeof value !== 'string') return `(${own.bytesOf(value)} bytes)`
      return `${value.slice(0, Math.floor(maxBytes / 4))}… (${value.length} characters in all)`
    },

    /**
     * The virtual tables that a statement opens: SQLite identifies each by a handle that is stable for the connection.
     */
    handlesOf(text: string): string[] {
      return own
        .programOf(text)
        .filter((row) => row[1] === 'VOpen')
        .map((row) => String(row[5]))
    },

    programOf(text: string): unknown[][] {
      return database.prepare(`explain ${text}`).raw().all([]) as unknown[][]
    },

    /**
     * The compiled program shows which functions and virtual tables a statement uses, whatever their spelling,
     * including those of views.
     */
    check(text: string, guard: SqliteGuard): void {
      const refuse = (name: string) => {
        throw Object.assign(new Error(name), { code: 'JEXO_NOT_ALLOWED' })
      }
      const handles = new Set<string>()
      for (const row of own.programOf(text)) {
        if (row[1] === 'VOpen') handles.add(String(row[5]))
        else if (/^(Pure)?Func|^Agg/.test(String(row[1]))) {
          const [, name = String(row[5])] = /^(.+)\(-?\d+\)$/.exec(String(row[5])) ?? []
          if (!guard.functions.includes(name.toLowerCase())) refuse(`The function ${name}`)
        }
      }
      if (handles.size === 0) return
      const ownTables = `select name from sqlite_master where type = 'table' and sql like 'create virtual%'`
      const named = (database.prepare(ownTables).raw().all([]) as unknown[][]).map(([name]) => String(name))
      for (const name of [...guard.tables, ...named]) {
        for (const given of ['', '(1)']) {
          try {
            const from = `"${name.replaceAll('"', '""')}"${given}`
            for (const handle of own.handlesOf(`select 1 from ${from}`)) handles.delete(handle)
          } catch {
            // This build does not have it, or it has other arguments.
          }
        }
      }
      if (handles.size > 0) refuse('A table-valued function of this statement')
    },

    run(request: Extract<ChildRequest, { op: 'run' }>): ChildReply {
      database.exec(request.access === 'write' ? 'begin immediate' : 'begin')
      try {
        if (request.guard && !/^explain\b/i.test(request.text)) own.check(request.text, request.guard)
        const statement = database.prepare(request.text)
        let reply: ChildReply
        if (statement.reader) {
          const columns = statement.columns()
          const { rows, isCut } = own.rowsOf(statement, request)
          reply = { columns, rows, isCut, ...(request.access === 'write' ? { changed: rows.length } : {}) }
        } else reply = { columns: [], rows: [], changed: Number(statement.run(request.values).changes) }
        // An unfinished statement keeps the file locked.
        database.exec(request.access === 'write' ? 'commit' : 'rollback')
        return reply
      } catch (error) {
        try {
          database.exec('rollback')
        } catch {
          // The failure has ended the transaction already.
        }
        throw error
      }
    },

    libraryAt(path: string) {
      return process.getBuiltinModule('node:module').createRequire(path)(path)
    },

    reply(request: ChildRequest): ChildReply {
      if (request.op === 'make') {
        const made = new (own.libraryAt(request.library))(request.file)
        made.exec(`begin;\n${request.script}\n;commit`)
        made.close()
        return {}
      }
      if (request.op === 'open') {
        const Library = own.libraryAt(request.library)
        database = new Library(request.file, { timeout: request.busyMs })
        database.prepare(`pragma hard_heap_limit = ${request.maxHeapBytes}`).raw().all([])
        database.prepare('select count(*) from sqlite_master').raw().all([])
        return {}
      }
      if (request.op === 'describe') return { columns: database.prepare(request.text).columns() }
      return own.run(request)
    },
  }

  process.on('message', (request: ChildRequest) => {
    let reply: ChildReply
    try {
      reply = own.reply(request)
    } catch (error) {
      const { message, code } = error as { message: string; code?: string }
      reply = { failure: { message: String(message ?? error), code: String(code ?? '') } }
    }
    process.send?.(reply)
  })
  process.on('disconnect', () => process.exit(0))
  // The parent receives the signal too, and ends this process itself.
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => {})
}
