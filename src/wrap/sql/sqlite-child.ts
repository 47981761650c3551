/** What the process that holds a SQLite file is asked. */
export type ChildRequest =
  | { readonly op: 'open'; readonly library: string; readonly file: string; readonly busyMs: number }
  | {
      readonly op: 'run'
      readonly text: string
      readonly values: readonly unknown[]
      readonly access: 'read' | 'write'
      readonly maxRows: number
      readonly maxBytes: number
      readonly skip: number
    }
  | { readonly op: 'make'; readonly library: string; readonly file: string; readonly script: string }
  | { readonly op: 'describe'; readonly text: string }

export interface ChildAnswer {
  readonly columns?: readonly { name: string; column: string | null; table: string | null; type: string | null }[]
  readonly rows?: unknown[][]
  /** More rows than were taken. */
  readonly isCut?: boolean
  readonly changed?: number
  readonly failure?: { readonly message: string; readonly code: string }
}

/**
 * The whole program of that process. A statement in SQLite cannot be stopped from the thread that runs it, so it runs in a process that
 * can be ended; what it had not committed is rolled back by the file itself. It goes there as text, so that a packed kit needs no second
 * file: nothing from outside this function may be used in it. Its functions are methods of one object, since a bundler that keeps the names of
 * functions calls a helper of its own for any other.
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
        // One more than is wanted says that there are more.
        if (rows.length > request.maxRows || (bytes > request.maxBytes && rows.length > 1))
          return { rows, isCut: true }
        for (const value of row)
          bytes +=
            typeof value === 'string' ? value.length : value instanceof ArrayBuffer ? value.byteLength * 1.4 : 8
        rows.push(row)
      }
      return { rows, isCut: false }
    },

    run(request: Extract<ChildRequest, { op: 'run' }>): ChildAnswer {
      database.exec(request.access === 'write' ? 'begin immediate' : 'begin')
      try {
        const statement = database.prepare(request.text)
        let answer: ChildAnswer
        if (statement.reader) {
          const columns = statement.columns()
          const { rows, isCut } = own.rowsOf(statement, request)
          answer = { columns, rows, isCut, ...(request.access === 'write' ? { changed: rows.length } : {}) }
        } else answer = { columns: [], rows: [], changed: Number(statement.run(request.values).changes) }
        // A statement that was left in its midst holds the file until then.
        database.exec(request.access === 'write' ? 'commit' : 'rollback')
        return answer
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

    answer(request: ChildRequest): ChildAnswer {
      if (request.op === 'make') {
        const made = new (own.libraryAt(request.library))(request.file)
        made.exec(`begin;\n${request.script}\n;commit`)
        made.close()
        return {}
      }
      if (request.op === 'open') {
        const Library = own.libraryAt(request.library)
        database = new Library(request.file, { timeout: request.busyMs })
        database.prepare('select count(*) from sqlite_master').raw().all([])
        return {}
      }
      if (request.op === 'describe') return { columns: database.prepare(request.text).columns() }
      return own.run(request)
    },
  }

  process.on('message', (request: ChildRequest) => {
    let answered: ChildAnswer
    try {
      answered = own.answer(request)
    } catch (error) {
      const { message, code } = error as { message: string; code?: string }
      answered = { failure: { message: String(message ?? error), code: String(code ?? '') } }
    }
    process.send?.(answered)
  })
  process.on('disconnect', () => process.exit(0))
  // Who asked is told by a signal too, and ends this process itself.
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => {})
}
