import { createRequire } from 'node:module'

const packed = globalThis as { __jexoPackages?: () => string }

/** Folder of an unpacked package with native modules; undefined outside packed files. */
export function packagedPath(name: string): string | undefined {
  const folder = packed.__jexoPackages?.()
  return folder === undefined ? undefined : createRequire(`${folder}/`).resolve(name)
}
