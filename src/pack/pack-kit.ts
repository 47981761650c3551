import { basename, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { type Kit, settingsFor } from '../kit/kit.js'
import { pageText } from '../kit/pages.js'
import type { ViewPart } from '../kit/part.js'
import { isView } from '../kit/view.js'
import { loadKit } from '../kit-file/kit-file.js'
import { headOf } from '../packed-file/mark.js'
import { version } from '../version.js'
import { isSharedFeed } from '../wrap/feed/shared-feed.js'
import { type MadeWrap, wrapRegistry } from '../wrap/source/registry.js'
import { AssetCollector } from './assets.js'
import { bundle, steadyMap } from './bundle.js'

/** A variable that a packed kit reads. */
export interface PackedSetting {
  name: string
  about: string
  default: string | undefined
  isSecret: boolean
  /** Without it the kit does not start. */
  isNeeded: boolean
}

/** A packed kit in memory. The same kit produces the same bytes. */
export interface Packed {
  /** Name of its file, such as `apiary.mjs`. */
  fileName: string
  code: string
  /** Maps lines of the code to those of the sources. */
  map: string
  kit: Kit
  settings: readonly PackedSetting[]
  /** Files that the kit reads and that are included. */
  assets: readonly string[]
  /** Included packages with native modules; the packed kit then runs only on similar machines. */
  packages: readonly string[]
  /** Optional settings of the packed kit. */
  remarks: readonly string[]
  /** It can store its sessions in Redis, so that several processes act as one server. */
  canShare: boolean
  /** The kit itself has a client for Redis. */
  usesRedis: boolean
}

const redisClients = new Set(['redis', '@redis/client', 'ioredis', 'bullmq'])

/**
 * Packs a kit and everything it imports into one ES module that needs only Node. Includes files that its modules name
 * relative to themselves (`new URL('./…', import.meta.url)`, `join(__dirname, '…')`) and packages with native modules.
 * Rejects at build time if something cannot be included.
 */
export async function packKit(kitFile: string): Promise<Packed> {
  const { kit, wraps, folders } = await loadWithWraps(kitFile)
  const path = resolve(kitFile)
  const views = kit.parts.filter(isView)
  const pages = await builtPages(views)
  // A view is included as its built document.
  const pageFiles = views.flatMap(({ page }) => (page instanceof URL ? [fileURLToPath(page)] : []))
  const assets = new AssetCollector(
    path,
    [...wraps.flatMap(({ hollowPath }) => hollowPath ?? []), ...pageFiles],
    folders,
  )
  for (const name of new Set(wraps.flatMap(({ packages = [] }) => packages))) assets.takePackage(name)
  const hasDurable = kit.parts.some((part) => part.kind === 'tool' && part.durable !== undefined)
  const {
    code,
    map,
    packages: bundled,
    clients,
  } = await bundle(path, assets, wraps, {
    hasDurable,
    feedPackages: feedPackagesOf(kit),
    pages,
  })
  const { packages } = assets
  // The name is written into code, units and commands.
  const stem = basename(path).replace(/(\.kit)?\.[cm]?[jt]sx?$/, '')
  const fileName = `${stem.replace(/[^\w.-]+/g, '-').replace(/^[.-]+/, '') || 'kit'}.mjs`
  const platform = packages.length > 0 ? { platform: `${process.platform}-${process.arch}` } : {}
  const head = headOf(version, { kit: kit.name, version: kit.version, ...platform })
  return {
    fileName,
    code: `${head}${code}\n//# sourceMappingURL=${fileName}.map\n`,
    map: steadyMap(map, 2),
    kit,
    settings: settingsOf(kit),
    assets: assets.files,
    packages,
    remarks: [
      ...assets.open.map((place) => `${place} computes a path at run time; the files it reads are not packed`),
      ...(hasDurable && !clients.includes('bullmq')
        ? ['durable tools need the packages ioredis and bullmq; install them, and pack again']
        : []),
    ],
    canShare: clients.includes('ioredis'),
    usesRedis: bundled.some((name) => redisClients.has(name)),
  }
}

/** External packages that the feeds of a kit import. */
const feedPackagesOf = ({ parts }: Kit): ReadonlySet<string> =>
  new Set(parts.flatMap(({ source }) => (isSharedFeed(source) ? source.packages : [])))

/** The documents of the views whose pages are files, by URI. */
async function builtPages(views: readonly ViewPart[]): Promise<Record<string, string>> {
  const pages: Record<string, string> = {}
  for (const { uri, page } of views) if (page instanceof URL) pages[uri] = await pageText(uri, page)
  return pages
}

function settingsOf(kit: Kit): PackedSetting[] {
  return Object.entries(settingsFor(kit, kit.parts)).map(([name, { about, secret, optional, ...declared }]) => ({
    name,
    about,
    default: declared.default,
    isSecret: secret === true,
    isNeeded: declared.default === undefined && optional !== true,
  }))
}

/** Loads the kit once and records its plans, which are included in the packed file so that sources need not be read again. */
async function loadWithWraps(
  kitFile: string,
): Promise<{ kit: Kit; wraps: MadeWrap[]; folders: ReadonlyMap<string, readonly string[]> }> {
  const wraps: MadeWrap[] = []
  const folders = new Map<string, readonly string[]>()
  const registry = wrapRegistry()
  registry.onMade = (made) => wraps.push(made)
  registry.onFolder = (root, files) => folders.set(root, [...(folders.get(root) ?? []), ...files])
  try {
    // Reloads the kit: if this process loaded it before, its wraps would otherwise not be planned again, and not be
    // recorded.
    return { kit: await loadKit(kitFile, true), wraps, folders }
  } finally {
    registry.onMade = undefined
    registry.onFolder = undefined
  }
}
