import { join } from 'node:path'
import pLimit from 'p-limit'
import type { Opening } from '../../kit/shared.js'
import type { ResourceDefinition } from '../../protocol/types.js'
import { type FinderOptions, Likeness } from '../search/finder.js'
import { type Hit, WordIndex } from '../search/word-index.js'
import { confined, readWhole } from './confine.js'
import { Following } from './following.js'
import type { FolderLimits } from './limits.js'
import { textFormOf } from './media.js'
import type { Passage } from './passages.js'
import { type FolderFile, fileAt, readFolder } from './read.js'
import type { FolderRules, PathFilter } from './rules.js'
import { passagesIn, textIn } from './text-of.js'

export interface LibraryOptions extends FinderOptions {
  readonly source: URL | string
  readonly rules: FolderRules
  readonly limits: FolderLimits
  /** Follows changes of files. */
  readonly watches: boolean
  readonly isSearched: boolean
  uriOf(path: string): string
}

export interface FoundPassage extends Passage {
  readonly path: string
  readonly score: number
}
export interface Progress {
  readonly done: number
  readonly total: number
}

/** An open folder: its files, an index of their passages, and a watcher that keeps both up to date. */
export class Library {
  /** The folder's real path and its rules; updated when the folder was replaced. */
  root: string
  filter: PathFilter
  readonly files: Map<string, FolderFile>
  readonly #options: LibraryOptions
  readonly #opening: Pick<Opening, 'resourceUpdated' | 'resourcesChanged' | 'report'>
  /** Index of files by words; passages are determined at a search. */
  readonly #words = new WordIndex<string>()
  /** Vectors of passages, by `path#position`. */
  readonly #likeness: Likeness<string>
  readonly #likeKeys = new Map<string, readonly string[]>()
  readonly #ending = new AbortController()
  readonly #listeners = new Set<(progress: Progress) => void>()
  readonly #recent = new Map<string, { readonly modifiedMs: number; readonly passages: readonly Passage[] }>()
  #definitions: readonly ResourceDefinition[] | undefined
  #following: Following | undefined
  /** Share of the index that each file uses. */
  readonly #indexed = new Map<string, number>()
  #indexedBytes = 0
  #indexing: Promise<void> = Promise.resolve()
  progress: Progress = { done: 0, total: 0 }

  static async open(
    options: LibraryOptions,
    opening: Pick<Opening, 'resourceUpdated' | 'resourcesChanged' | 'report'>,
  ): Promise<Library> {
    const { root, filter, files, isCut } = await readFolder(options.source, options.rules, options.limits.maxFiles)
    if (isCut)
      opening.report('warning', `${root} has more than ${options.limits.maxFiles} files; the rest is skipped`)
    const library = new Library(root, filter, files, options, opening)
    if (options.isSearched) library.#indexing = library.#indexAll()
    if (options.watches) library.#follow()
    return library
  }

  private constructor(
    root: string,
    filter: PathFilter,
    files: readonly FolderFile[],
    options: LibraryOptions,
    opening: Pick<Opening, 'resourceUpdated' | 'resourcesChanged' | 'report'>,
  ) {
    this.root = root
    this.filter = filter
    this.files = new Map(files.map((file) => [file.path, file]))
    this.#options = options
    this.#opening = opening
    this.#likeness = new Likeness(options)
  }

  /** Listing of the files for hosts, cached until a file is added or removed. */
  definitions(of: (file: FolderFile) => ResourceDefinition): readonly ResourceDefinition[] {
    this.#definitions ??= [...this.files.values()].sort((a, b) => (a.path < b.path ? -1 : 1)).map(of)
    return this.#definitions
  }

  /** A file as it is now. Throws a `Refusal` if there is none, or it is too large. */
  async read(path: string): Promise<Uint8Array> {
    const place = await confined(this.root, path, this.filter)
    return (await readWhole(place, path, this.#options.limits.maxFileBytes)).bytes
  }

  /** The best passages first, after everything is indexed. */
  async find(
    query: string,
    most: number,
    signal: AbortSignal,
    { within = '', onProgress }: { within?: string; onProgress?: (progress: Progress) => void } = {},
  ): Promise<{ passages: FoundPassage[]; note?: string }> {
    if (onProgress) this.#listeners.add(onProgress)
    try {
      await Promise.race([this.#indexing, aborted(signal)])
    } finally {
      if (onProgress) this.#listeners.delete(onProgress)
    }
    const isWithin = (path: string) => path.startsWith(within)
    const files = this.#words.find(query, most * filesForEach, within === '' ? undefined : isWithin)
    const byWords = await this.#bestPassages(query, files)
    const takes = (key: string) => isWithin(pathOf(key))
    const { hits, note } = await this.#likeness.fusedWith(byWords, query, signal, takes)
    const passages: FoundPassage[] = []
    for (const { key, score } of hits) {
      if (passages.length >= most) break
      const passage = (await this.#passagesOf(pathOf(key)))[Number(key.slice(key.lastIndexOf('#') + 1))]
      if (passage) passages.push({ ...passage, path: pathOf(key), score: Math.round(score * 1000) / 1000 })
    }
    return { passages, ...(note === undefined ? {} : { note }) }
  }

  /** The passages of the found files, ranked together. */
  async #bestPassages(query: string, files: readonly Hit<string>[]): Promise<Hit<string>[]> {
    const index = new WordIndex<string>()
    const worth = new Map<string, number>()
    const read = await Promise.all(files.map(({ key: path }) => this.#passagesOf(path)))
    for (const [which, { key: path, score }] of files.entries()) {
      for (const [at, { text, heading }] of (read[which] ?? []).entries()) {
        index.add({ key: `${path}#${at}`, text, title: `${heading} ${titleOf(path)}` })
        worth.set(`${path}#${at}`, score)
      }
    }
    const ranked = index.find(query, depth)
    return ranked
      .map(({ key, score }) => ({ key, score: score * (worth.get(key) ?? 0) }))
      .sort((a, b) => b.score - a.score)
  }

  /** The current passages; none if the file is gone or cannot be read. */
  async #passagesOf(path: string): Promise<readonly Passage[]> {
    const file = this.files.get(path)
    const known = this.#recent.get(path)
    if (!file) return []
    if (known && known.modifiedMs === file.modifiedMs) return known.passages
    try {
      const place = await confined(this.root, path, this.filter)
      const { bytes, modifiedMs } = await readWhole(place, path, this.#options.limits.maxIndexedFileBytes)
      const passages = await passagesIn(bytes, file.mimeType)
      if (this.#recent.size >= mostRecent) this.#recent.clear()
      this.#recent.set(path, { modifiedMs, passages })
      return passages
    } catch {
      return []
    }
  }

  async close(): Promise<void> {
    this.#ending.abort()
    await this.#following?.close()
    await this.#indexing.catch(() => {})
  }

  #follow(): void {
    const { report } = this.#opening
    const { source, rules, limits } = this.#options
    this.#following = new Following({
      ...{ source, rules, maxFiles: limits.maxFiles, root: this.root, filter: this.filter },
      known: () => [...this.files.keys()],
      changed: (path) => this.#changed(path).catch((error) => report('warning', `${path}: ${error}`)),
      replaced: (root, filter) => {
        this.root = root
        this.filter = filter
      },
    })
  }

  async #indexAll(): Promise<void> {
    const files = [...this.files.values()]
    const began = performance.now()
    let lastSaid = began
    const left: string[] = []
    let done = 0
    const take = pLimit(atOnce)
    await take.map(files, async (file) => {
      if (this.#ending.signal.aborted) return
      if (!(await this.#index(file))) left.push(file.path)
      this.progress = { done: ++done, total: files.length }
      for (const listener of this.#listeners) listener(this.progress)
      if (performance.now() - lastSaid > 3000) {
        lastSaid = performance.now()
        this.#opening.report('info', `indexing ${this.root}: ${done} of ${files.length} files`)
      }
    })
    if (this.#ending.signal.aborted) return
    const seconds = (performance.now() - began) / 1000
    if (seconds > 3)
      this.#opening.report('info', `indexed ${files.length} files of ${this.root} in ${seconds.toFixed(1)} s`)
    if (left.length > 0)
      this.#opening.report(
        'warning',
        `not searched: ${left.slice(0, 5).join(', ')}${left.length > 5 ? ` and ${left.length - 5} more` : ''}`,
      )
    await this.#completeVectors()
  }

  async #completeVectors(): Promise<void> {
    const fault = await this.#likeness.complete(this.#ending.signal)
    if (fault !== undefined && !this.#ending.signal.aborted)
      this.#opening.report('warning', `no vectors for ${this.root}, so the search uses words only: ${fault}`)
  }

  /** False if a file contains text that is not indexed. */
  async #index(file: FolderFile): Promise<boolean> {
    const { path, bytes, mimeType } = file
    this.#forget(path)
    if (textFormOf(mimeType) === 'none') return true
    const { maxIndexedFileBytes, maxIndexedBytes } = this.#options.limits
    if (bytes > maxIndexedFileBytes || this.#indexedBytes + bytes > maxIndexedBytes) return false
    try {
      // Found by scanning the folder, which follows no links.
      const read = await readWhole(join(this.root, path), path, maxIndexedFileBytes)
      const text = await textIn(read.bytes, mimeType)
      this.#indexed.set(path, bytes)
      this.#indexedBytes += bytes
      this.#words.add({ key: path, text, title: titleOf(path) })
      if (this.#likeness.isOn) await this.#addLikeness(path, read.bytes, mimeType)
      return true
    } catch {
      // It is gone or unreadable; a reader gets the reason.
      return false
    }
  }

  async #addLikeness(path: string, bytes: Uint8Array, mimeType: string): Promise<void> {
    const keys = (await passagesIn(bytes, mimeType)).map(({ heading, text }, at) => {
      const key = `${path}#${at}`
      this.#likeness.add(key, [heading, text].filter(Boolean).join('\n'))
      return key
    })
    this.#likeKeys.set(path, keys)
  }

  #forget(path: string): void {
    this.#words.remove(path)
    this.#recent.delete(path)
    this.#indexedBytes -= this.#indexed.get(path) ?? 0
    this.#indexed.delete(path)
    for (const key of this.#likeKeys.get(path) ?? []) this.#likeness.remove(key)
    this.#likeKeys.delete(path)
  }

  /** A file has changed: updates its entry, its passages, and its subscribers. */
  async #changed(path: string): Promise<void> {
    const before = this.files.get(path)
    const file = await fileAt(this.root, path)
    if (before && file && before.modifiedMs === file.modifiedMs && before.bytes === file.bytes) return
    if (!before && !file) return
    this.#indexing = this.#indexing.then(async () => {
      this.#forget(path)
      this.#definitions = undefined
      if (file) this.files.set(path, file)
      else this.files.delete(path)
      if (file && this.#options.isSearched) {
        await this.#index(file)
        await this.#completeVectors()
      }
    })
    await this.#indexing
    if (!before || !file) this.#opening.resourcesChanged()
    if (before) this.#opening.resourceUpdated(this.#options.uriOf(path))
  }
}

/** Number of examined files for each requested passage. */
const filesForEach = 3
const depth = 50
/** Number of files that are read concurrently. */
const atOnce = 16
/** Number of files whose passages are cached for the next search. */
const mostRecent = 200

const pathOf = (key: string) => key.slice(0, key.lastIndexOf('#'))
const titleOf = (path: string) => path.replace(/[-_/.]/g, ' ')

const aborted = (signal: AbortSignal): Promise<never> =>
  new Promise((_resolve, reject) => {
    if (signal.aborted) reject(signal.reason)
    else signal.addEventListener('abort', () => reject(signal.reason), { once: true })
  })
