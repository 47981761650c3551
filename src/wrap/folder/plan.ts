import { basename } from 'node:path'
import { textFormOf } from './media.js'
import type { FolderReading } from './read.js'

export interface FolderPlanOptions {
  /** Scheme of its URIs and part of the search tool's name. Default: the folder's name. */
  readonly name?: string
  /** Content of the folder, for descriptions. */
  readonly about?: string
  /** Creates a tool that searches the files. Default: true. */
  readonly search?: boolean
  /** Prefix of the tool name. */
  readonly prefix?: string
  readonly tags?: readonly string[]
}

/** The resources and the search tool of a folder, as plain JSON. Files may change without a new plan. */
export interface FolderPlan {
  readonly version: 1
  readonly kind: 'folder'
  readonly name: string
  readonly about: string
  /** Number of files by MIME type, the most frequent first. */
  readonly types: readonly {
    readonly mimeType: string
    readonly files: number
    readonly bytes: number
    readonly isSearched: boolean
  }[]
  readonly files: number
  readonly bytes: number
  /** Name of the search tool. */
  readonly tool?: string
  readonly tags: readonly string[]
  /** Maximum size of indexed files. */
  readonly tooLarge: readonly string[]
  readonly isCut: boolean
}

/** Options that choose the content of a folder. Pure: the same reading and options give the same plan. */
export function planFiles(
  reading: FolderReading,
  options: FolderPlanOptions = {},
  maxIndexedFileBytes = 5_000_000,
): FolderPlan {
  const name = schemeOf(options.name ?? basename(reading.root))
  const types = new Map<string, { mimeType: string; files: number; bytes: number; isSearched: boolean }>()
  for (const { mimeType, bytes } of reading.files) {
    const known = types.get(mimeType) ?? {
      mimeType,
      files: 0,
      bytes: 0,
      isSearched: textFormOf(mimeType) !== 'none',
    }
    types.set(mimeType, { ...known, files: known.files + 1, bytes: known.bytes + bytes })
  }
  const large = reading.files.filter(
    ({ bytes, mimeType }) => bytes > maxIndexedFileBytes && textFormOf(mimeType) !== 'none',
  )
  return {
    version: 1,
    kind: 'folder',
    name,
    about: options.about ?? `Files of ${name}`,
    types: [...types.values()].sort((a, b) => b.files - a.files || (a.mimeType < b.mimeType ? -1 : 1)),
    files: reading.files.length,
    bytes: reading.files.reduce((sum, { bytes }) => sum + bytes, 0),
    ...(options.search === false ? {} : { tool: `${options.prefix ?? ''}search_${name.replaceAll('-', '_')}` }),
    tags: options.tags ?? [],
    tooLarge: large.map(({ path }) => path),
    isCut: reading.isCut,
  }
}

/** A scheme of URIs: lower case letters, digits and dashes. */
const schemeOf = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .replace(/^(?=\d)/, 'folder-') || 'folder'
