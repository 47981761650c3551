import { existsSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

/** The folder of this file: `src/`, `dist/`, or `dist/command/` if it is bundled. */
const folder = (): string => dirname(fileURLToPath(import.meta.url))
const isBundled = (): boolean => basename(folder()) === 'command'

/** A file of this package: `packageFile('bin/jexo.mjs')`. */
export const packageFile = (path: string): string => join(folder(), isBundled() ? '../..' : '..', path)

/** A compiled file by its path below `dist/`: `compiledFile('loupe/page')`. In the tests of a checkout it is below `src/`. */
export const compiledFile = (path: string): string => join(folder(), isBundled() ? '..' : '.', path)

/** A module of this package, for keys that depend on its code: compiled, or its source in the tests of a checkout. */
export const ownModules = (path: string): string[] =>
  ['js', 'ts'].map((ending) => compiledFile(`${path}.${ending}`)).filter((file) => existsSync(file))
