import { requiredPackage } from '../../optional-packages.js'
import { packagedPath } from '../source/packaged.js'
import { sourceFile } from '../source/source.js'
import { type Embed, embedMissing, hashOf, type Vectors } from './vectors.js'
import type { Hit } from './word-index.js'

interface Statement {
  run(...values: unknown[]): unknown
  all(...values: unknown[]): Record<string, unknown>[]
}
interface Database {
  exec(sql: string): unknown
  prepare(sql: string): Statement
}

/**
 * The index compares approximate vectors, and the caller may filter its results, so this many times more candidates are
 * compared exactly.
 */
const spare = 8
/** The default options take 30 ms and 80 kB for each vector; these take 1.5 ms and 6 kB. */
const indexOptions = `'metric=cosine', 'compress_neighbors=float1bit', 'max_neighbors=20'`

const maxDimensions = 65_536
/** One connection per file, shared by indexes that are rebuilt. */
const open = new Map<string, Database>()

function databaseAt(file: string): Database {
  const known = open.get(file)
  if (known) return known
  const path = packagedPath('libsql') ?? 'libsql'
  const Libsql = requiredPackage<new (path: string) => Database>(path, 'vectors in SQLite')
  const database = new Libsql(file)
  open.set(file, database)
  return database
}

/** True for a file that stores vectors in SQLite. */
export const isSqliteFile = (file: URL | string): boolean => /\.(sqlite3?|db)$/i.test(String(file))

/**
 * Vectors in a SQLite file with libsql's vector index: they need no memory, and the nearest ones are found without
 * comparing all.
 */
export class SqliteVectors<Key> implements Vectors<Key> {
  readonly #embed: Embed
  readonly #database: Database
  readonly #keys = new Map<string, Set<Key>>()
  readonly #entries = new Map<Key, { readonly hash: string; readonly text: string }>()
  #dimensions: number | undefined

  constructor(embed: Embed, file: URL | string) {
    this.#embed = embed
    this.#database = databaseAt(sourceFile(file))
    this.#dimensions = this.#known()
  }

  add(key: Key, text: string): void {
    this.remove(key)
    const hash = hashOf(text)
    this.#entries.set(key, { hash, text })
    const keys = this.#keys.get(hash)
    if (keys) keys.add(key)
    else this.#keys.set(hash, new Set([key]))
  }

  remove(key: Key): void {
    const hash = this.#entries.get(key)?.hash
    if (hash === undefined) return
    this.#entries.delete(key)
    const keys = this.#keys.get(hash)
    keys?.delete(key)
    if (keys?.size === 0) this.#keys.delete(hash)
  }

  async complete(signal: AbortSignal): Promise<void> {
    const known = this.#hashes()
    const missing = new Map<string, string>()
    for (const { hash, text } of this.#entries.values()) if (!known.has(hash)) missing.set(hash, text)
    await embedMissing(this.#embed, missing, signal, (vectors) => this.#store(vectors))
    this.#forget(known)
  }

  async find(query: string, most: number, signal: AbortSignal, takes?: (key: Key) => boolean): Promise<Hit<Key>[]> {
    if (this.#dimensions === undefined || this.#entries.size === 0) return []
    const [vector = []] = await this.#embed([query], signal)
    if (vector.length !== this.#dimensions) return []
    const text = JSON.stringify(vector)
    const rows = this.#database
      .prepare(
        `select v.hash, vector_distance_cos(v.vector, vector32(?)) as distance
         from vector_top_k('jexo_vectors_index', vector32(?), ${most * spare}) as t join jexo_vectors as v on v.rowid = t.id`,
      )
      .all(text, text)
    const hits = rows.flatMap(({ hash, distance }) =>
      [...(this.#keys.get(String(hash)) ?? [])].map((key) => ({ key, score: 1 - Number(distance) })),
    )
    return hits
      .filter(({ key }) => takes?.(key) !== false)
      .sort((a, b) => b.score - a.score)
      .slice(0, most)
  }

  #known(): number | undefined {
    const [column] = this.#database
      .prepare(`select type from pragma_table_info('jexo_vectors') where name = 'vector'`)
      .all()
    const dimensions = Number(/\((\d+)\)/.exec(String(column?.type))?.[1])
    return Number.isInteger(dimensions) ? dimensions : undefined
  }

  #hashes(): Set<string> {
    if (this.#dimensions === undefined) return new Set()
    return new Set(
      this.#database
        .prepare('select hash from jexo_vectors')
        .all()
        .map(({ hash }) => String(hash)),
    )
  }

  /** Vectors of another model have another length, so the existing ones are dropped. */
  #store(vectors: readonly (readonly [hash: string, vector: readonly number[]])[]): void {
    const length = vectors[0]?.[1].length ?? 0
    const isVector = (vector: readonly number[]) => vector.length === length && vector.every(Number.isFinite)
    if (length < 1 || length > maxDimensions || !vectors.every(([, vector]) => isVector(vector)))
      throw new Error(`embed must return vectors of one length, of 1 to ${maxDimensions} numbers`)
    if (length !== this.#dimensions) {
      this.#database.exec(`drop index if exists jexo_vectors_index; drop table if exists jexo_vectors;
        create table jexo_vectors (hash text primary key, vector f32_blob(${length}));
        create index jexo_vectors_index on jexo_vectors (libsql_vector_idx(vector, ${indexOptions}))`)
      this.#dimensions = length
    }
    const insert = this.#database.prepare(
      'insert or replace into jexo_vectors (hash, vector) values (?, vector32(?))',
    )
    this.#database.exec('begin')
    try {
      for (const [hash, vector] of vectors) insert.run(hash, JSON.stringify(vector))
      this.#database.exec('commit')
    } catch (error) {
      this.#database.exec('rollback')
      throw error
    }
  }

  /** Removes vectors without an entry. */
  #forget(known: ReadonlySet<string>): void {
    const gone = [...known].filter((hash) => !this.#keys.has(hash))
    if (gone.length === 0 || this.#dimensions === undefined) return
    const remove = this.#database.prepare('delete from jexo_vectors where hash = ?')
    for (const hash of gone) remove.run(hash)
  }
}
