import { numbersOf } from '../../kit/numbers.js'
import type { Environment } from '../../kit/settings.js'

/** Limits for reading a folder. Sizes in bytes. */
export interface FolderLimits {
  /** Maximum size of a file as a resource. */
  readonly maxFileBytes: number
  /** Maximum size of a file that is indexed. */
  readonly maxIndexedFileBytes: number
  /** Maximum size of all indexed text. */
  readonly maxIndexedBytes: number
  readonly maxFiles: number
}
export const folderLimits: FolderLimits = {
  maxFileBytes: 10_000_000,
  maxIndexedFileBytes: 5_000_000,
  maxIndexedBytes: 500_000_000,
  maxFiles: 100_000,
}

const variables: Readonly<Record<string, keyof FolderLimits>> = {
  JEXO_FOLDER_MAX_FILE_BYTES: 'maxFileBytes',
  JEXO_FOLDER_MAX_INDEXED_FILE_BYTES: 'maxIndexedFileBytes',
  JEXO_FOLDER_MAX_INDEXED_BYTES: 'maxIndexedBytes',
  JEXO_FOLDER_MAX_FILES: 'maxFiles',
}

/** Precedence: the author's options, environment variables, defaults. */
export const folderLimitsFor = (given: Partial<FolderLimits>, environment: Environment): FolderLimits => ({
  ...folderLimits,
  ...numbersOf(environment, variables),
  ...given,
})
