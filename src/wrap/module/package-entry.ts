import { existsSync, readFileSync, statSync } from 'node:fs'
import { basename, dirname, join, relative, sep } from 'node:path'

/** Resolves a package, or a path of it, to a file, from a given folder. */
export function packageEntry(given: string): string | undefined {
  const parts = given.split('/')
  const name = parts.slice(0, given.startsWith('@') ? 2 : 1).join('/')
  const path = parts.slice(given.startsWith('@') ? 2 : 1).join('/')
  for (let folder = process.cwd(); ; folder = dirname(folder)) {
    const root = join(folder, 'node_modules', name)
    const manifest = join(root, 'package.json')
    if (existsSync(manifest)) {
      const { exports, module, main = 'index.js' } = manifestAt(manifest)
      const target = exportTarget(exports, path === '' ? '.' : `./${path}`)
      return fileAt(join(root, target ?? (path === '' ? String(module ?? main) : path)), root)
    }
    if (folder === dirname(folder)) return undefined
  }
}

/** The content of package.json; empty if it is not JSON. */
function manifestAt(file: string): Record<string, unknown> {
  try {
    const read: unknown = JSON.parse(readFileSync(file, 'utf8'))
    return typeof read === 'object' && read !== null ? (read as Record<string, unknown>) : {}
  } catch {
    return {}
  }
}

/** Resolves like an import: the file itself, with an extension, or as a folder. */
function fileAt(path: string, root: string): string | undefined {
  // A package may name its own files.
  if (relative(root, path).startsWith('..')) return undefined
  const names = ['', '.js', '.mjs', '.cjs', '.ts', '/index.js', '/index.mjs', '/index.cjs']
  return names.map((ending) => path + ending).find((file) => existsSync(file) && statSync(file).isFile())
}

/** Resolves a path of a package: `exports` with conditions, and with one `*` in a path. */
function exportTarget(exports: unknown, path: string): string | undefined {
  if (typeof exports === 'string') return path === '.' ? exports : undefined
  if (typeof exports !== 'object' || exports === null) return undefined
  const given = exports as Record<string, unknown>
  const isPaths = Object.keys(given).some((key) => key.startsWith('.'))
  if (!isPaths) return path === '.' ? byCondition(given) : undefined
  if (Object.hasOwn(given, path)) return byCondition(given[path])
  for (const [key, value] of Object.entries(given)) {
    const [before = '', after] = key.split('*')
    if (after === undefined || !path.startsWith(before) || !path.endsWith(after) || path.length < key.length)
      continue
    return byCondition(value)?.replace('*', path.slice(before.length, path.length - after.length))
  }
  return undefined
}

function byCondition(value: unknown): string | undefined {
  if (typeof value === 'string') return value
  if (typeof value !== 'object' || value === null) return undefined
  const given = value as Record<string, unknown>
  return ['import', 'node', 'module', 'default', 'require'].map((name) => byCondition(given[name])).find(Boolean)
}

/** Name of a module: its package, or its file. */
export const titleOf = (file: string): string =>
  file.includes(`${sep}node_modules${sep}`) ? packageSpecifier(file) : basename(file)

/** Import specifier of a file of an installed package: the package name, with a path if necessary. */
export function packageSpecifier(file: string): string {
  const modules = `${sep}node_modules${sep}`
  const above = file.slice(0, file.lastIndexOf(modules) + modules.length)
  const parts = file.slice(above.length).split(sep)
  const name = parts.slice(0, parts[0]?.startsWith('@') ? 2 : 1).join('/')
  const root = join(above, name)
  const manifest = join(root, 'package.json')
  if (!existsSync(manifest)) return name
  const { exports, module, main = 'index.js' } = manifestAt(manifest)
  const isAt = (target: string | undefined) => target !== undefined && fileAt(join(root, target), root) === file
  if (isAt(exportTarget(exports, '.') ?? String(module ?? main))) return name
  const inside = relative(root, file).split(sep).join('/')
  if (typeof exports !== 'object' || exports === null) return `${name}/${inside}`
  for (const [key, value] of Object.entries(exports)) {
    const [before = '', after] = (byCondition(value) ?? '').replace(/^\.\//, '').split('*')
    if (after === undefined ? isAt(before) : inside.startsWith(before) && inside.endsWith(after))
      return (
        name +
        key
          .slice(1)
          .replace('*', after === undefined ? '*' : inside.slice(before.length, inside.length - after.length))
      )
  }
  return name
}
