import { readConfigEntries } from '../host-config/config-file.js'
import { dialEach, type Links } from '../transport/dial-all.js'
import { dialOnNode, type NodeDialOptions, type NodeTarget } from '../transport/node-dial.js'

/**
 * Opens several links side by side: those of a host's configuration file, or of entries given by name.
 * Rejects where the file cannot be read; one entry that does not open is told in `failed`.
 *
 * @example const { links, failed } = await dialAll('/home/me/host/config.json')
 */
export async function dialAllOnNode(
  given: string | Readonly<Record<string, NodeTarget>>,
  options: NodeDialOptions = {},
): Promise<Links> {
  if (typeof given !== 'string') return dialEach(given, async (target) => dialOnNode(target, options))
  return dialEach(await readConfigEntries(given), async (entry) => {
    if (!('url' in entry)) return dialOnNode(entry, options)
    return dialOnNode(entry.url, { ...options, headers: { ...entry.headers, ...options.headers } })
  })
}
