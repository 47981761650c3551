import { createRequire } from 'node:module'

const packed = globalThis as { __jexoPackages?: () => string }

/** Where a packed file has put a package with native parts, that it brought along; undefined if nothing is packed. */
export function packagedPath(name: string): string | undefined {
  const folder = packed.__jexoPackages?.()
  return folder === undefined ? undefined : createRequire(`${folder}/`).resolve(name)
}
