import { readConfigEntries } from '../host-config/config-file.js'
import { connectEach, type Links } from '../transport/connect-all.js'
import { connectOnNode, type NodeConnectOptions, type NodeTarget } from '../transport/node-connect.js'

/**
 * Opens several links in parallel: those of a host's configuration file, or of given entries. Rejects if the file
 * cannot be read; entries that do not open are listed in `failed`.
 *
 * @example const { links, failed } = await connectAll('/home/me/host/config.json')
 */
export async function connectAllOnNode(
  given: string | Readonly<Record<string, NodeTarget>>,
  options: NodeConnectOptions = {},
): Promise<Links> {
  if (typeof given !== 'string') return connectEach(given, async (target) => connectOnNode(target, options))
  return connectEach(await readConfigEntries(given), async (entry) => {
    if (!('url' in entry)) return connectOnNode(entry, options)
    return connectOnNode(entry.url, { ...options, headers: { ...entry.headers, ...options.headers } })
  })
}
