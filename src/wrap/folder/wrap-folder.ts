import { basename } from 'node:path'
import type { Part } from '../../kit/part.js'
import { shared } from '../../kit/shared.js'
import type { JsonObject } from '../../protocol/messages.js'
import type { FinderOptions } from '../search/finder.js'
import { frozenOr } from '../source/frozen.js'
import { wrapRegistry } from '../source/registry.js'
import { sourceFile } from '../source/source.js'
import type { Library } from './library.js'
import { type FolderLimits, folderLimitsFor } from './limits.js'
import { folderPartsOf } from './parts.js'
import type { FolderPlan, FolderPlanOptions } from './plan.js'
import type { FolderRules } from './rules.js'
import { uriOfPath } from './uris.js'

export interface WrapFolderOptions extends FolderPlanOptions, FolderRules, FinderOptions {
  /** Limits; each also has a `JEXO_FOLDER_…` variable. */
  readonly limits?: Partial<FolderLimits>
  /** Follows changes of files: notifies subscribers and updates the search index. Default: true. */
  readonly watch?: boolean
}

/**
 * Turns a folder into resources, one for each file, and a tool that searches their passages. Confined to the folder: no `..`, no symbolic
 * links, no hidden files by default. Rejects with a `JexoError` if there is no such folder.
 *
 * @example parts: [...await wrapFolder(new URL('./fieldguide/', import.meta.url), { about: 'Pages on bees through the year' })]
 */
export async function wrapFolder(source: URL | string, options: WrapFolderOptions = {}): Promise<Part[]> {
  const { limits: given = {}, watch = true, embed, vectors, ...planned } = options
  const limits = folderLimitsFor(given, process.env)
  const rules = rulesOf(options)
  // The plan only depends on the name and the options, since files change.
  const plan = await frozenOr(
    'folder',
    { ...planned, folder: basename(sourceFile(source)) } as JsonObject,
    rules as JsonObject,
    () => planFolder(source, options),
  )
  const { onFolder } = wrapRegistry()
  if (onFolder) {
    const { readFolder } = await import('./read.js')
    const { root, files } = await readFolder(source, rules, limits.maxFiles)
    onFolder(
      root,
      files.map(({ path }) => path),
    )
  }
  const library = shared<Library>(
    async (opening) => {
      // The scanner and the watcher are loaded when they are needed.
      const { Library } = await import('./library.js')
      return Library.open(
        {
          source,
          rules,
          limits,
          watches: watch,
          isSearched: plan.tool !== undefined,
          uriOf: (path) => uriOfPath(plan.name, path),
          ...(embed ? { embed } : {}),
          ...(vectors === undefined ? {} : { vectors }),
        },
        opening,
      )
    },
    (open) => open.close(),
    { atStart: true },
  )
  return folderPartsOf(plan, library)
}

/** Returns the plan, as `jexo wrap` shows it. */
export async function planFolder(source: URL | string, options: WrapFolderOptions = {}): Promise<FolderPlan> {
  const { readFolder } = await import('./read.js')
  const { planFiles } = await import('./plan.js')
  const limits = folderLimitsFor(options.limits ?? {}, process.env)
  const reading = await readFolder(source, rulesOf(options), limits.maxFiles)
  return planFiles(reading, options, limits.maxIndexedFileBytes)
}

const rulesOf = ({ except: ignore, only: take, hidden }: FolderRules): FolderRules => ({
  ...(ignore === undefined ? {} : { except: ignore }),
  ...(take === undefined ? {} : { only: take }),
  ...(hidden === undefined ? {} : { hidden }),
})
