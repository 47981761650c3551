import { oneLine } from '../escape/one-line.js'

/**
 * The second line of every packed file begins with this text, which identifies it as a server to run, not a kit to
 * load.
 */
export const packedMark = '// Packed by Jexo'

/** Where packages with native parts lie in a packed file. */
export const packagesFolder = '_packages'

export interface PackedHead {
  kit: string
  version: string
  /** `linux-x64` if it contains native modules. */
  platform?: string
}

/** The first lines of a packed file. */
export const headOf = (jexo: string, { kit, version, platform }: PackedHead): string =>
  `#!/usr/bin/env node\n${packedMark} ${jexo}: ${oneLine(kit)} ${oneLine(version)}${platform === undefined ? '' : ` for ${platform}`}. Run it with node; --help says how.\n`

/** Parses those lines; undefined if the text is not a packed file. */
export function readPackedHead(text: string): PackedHead | undefined {
  const [, line = ''] = text.slice(0, 1000).split('\n')
  const found = /^\/\/ Packed by Jexo \S+: (.+?) (\S+?)(?: for (\S+?))?\. Run it/.exec(line)
  if (found?.[1] === undefined || found[2] === undefined) return undefined
  return { kit: found[1], version: found[2], ...(found[3] === undefined ? {} : { platform: found[3] }) }
}
