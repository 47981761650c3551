import { createRequire } from 'node:module'
import { sep } from 'node:path'
import { JexoError, listOf } from './errors.js'
import { packageFile } from './own-files.js'

/** A package that is not installed with Jexo, since few servers need it. `data.packages` names it. */
export const packageMissing = (names: readonly string[], purpose: string, cause?: unknown) =>
  new JexoError(
    'package-missing',
    `${purpose} needs the package${names.length > 1 ? 's' : ''} ${listOf(names)}, which ${names.length > 1 ? 'are' : 'is'} not installed`,
    `run: ${installCommand(names)}`,
    undefined,
    { cause, data: { packages: [...names] } },
  )

/** Loads an optional package by `import()`. Rejects with a `JexoError` that says how to install it. */
export async function optionalPackage<T>(name: string, purpose: string, load: () => Promise<T>): Promise<T> {
  try {
    return await load()
  } catch (error) {
    throw packageMissing([name], purpose, error)
  }
}

/** Loads an optional package synchronously. Throws a `JexoError` that says how to install it. */
export function requiredPackage<T>(name: string, purpose: string): T {
  try {
    return withoutSourceMaps(() => createRequire(import.meta.url)(name) as T)
  } catch (error) {
    throw packageMissing([name], purpose, error)
  }
}

/** Where source maps are enabled, Node looks for those of each loaded file, which takes 0.1 s for TypeScript. */
function withoutSourceMaps<T>(load: () => T): T {
  if (!process.sourceMapsEnabled) return load()
  process.setSourceMapsEnabled(false)
  try {
    return load()
  } finally {
    process.setSourceMapsEnabled(true)
  }
}

/** Version for npm to install if the newest version of a package does not work: it requires another Node version or has another interface. */
const versions: Readonly<Record<string, string>> = {
  typescript: 'typescript@6',
  unpdf: 'unpdf@1.4',
  'node-opcua': 'node-opcua@2.182',
}

/** Client packages of a package that contains client and server. */
export const clientSide: Readonly<Record<string, readonly string[]>> = {
  'node-opcua': ['node-opcua-client', 'node-opcua-certificate-manager'],
}
export const withVersion = (name: string): string => versions[name] ?? name

/** True if a package can be loaded from this package's location. */
export function hasPackage(name: string): boolean {
  try {
    createRequire(import.meta.url).resolve(name)
    return true
  } catch {
    return false
  }
}

/** Folder of the project that this package is installed in; undefined for a checkout, a global installation, or one that `npx` fetched. */
export function ownProject(): string | undefined {
  const [project, ...inside] = packageFile('.').split(`${sep}node_modules${sep}`)
  if (project === undefined || inside.length === 0) return undefined
  return project.includes(`${sep}_npx${sep}`) || /[\\/](lib|npm)$/.test(project) ? undefined : project
}

function installCommand(names: readonly string[]): string {
  const place = packageFile('.')
  if (place.includes(`${sep}_npx${sep}`)) {
    const packages = ['jexo', ...names.map(withVersion)].map((name) => `--package=${name}`).join(' ')
    return `npx ${packages} jexo …`
  }
  const isGlobal = place.includes(`${sep}node_modules${sep}`) && ownProject() === undefined
  return `npm install ${isGlobal ? '--global ' : ''}${names.map(withVersion).join(' ')}`
}
