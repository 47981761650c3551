import { fileURLToPath } from 'node:url'
import { isKit, type Kit } from '../kit/kit.js'
import type { ToolsOf } from '../kit/typing.js'
import { atFile, loadKit } from '../kit-file/kit-file.js'
import type { Link } from '../link/link.js'
import type { ConnectOptions } from '../transport/connect.js'
import { connectOnNode } from '../transport/node-connect.js'

/**
 * Opens a link in memory to a kit, or to a kit file (TypeScript or JavaScript). `replace` replaces shared connections,
 * `environment` sets the settings. Rejects with a `JexoError` if the kit cannot be loaded or started.
 *
 * @example
 * const link = await openKit(new URL('../hives.kit.ts', import.meta.url), { replace: [[scales, fakeScales]] })
 * const { structuredContent } = await link.call('weigh_hive', { hive: 'ML-04' })
 * await link.close()
 *
 * // With the type of the kit, the compiler knows its tools.
 * const typed = await openKit<typeof kit>(new URL('../hives.kit.ts', import.meta.url))
 */
export function openKit<K extends Kit = Kit>(
  kit: K | URL | string,
  options?: ConnectOptions,
): Promise<Link<ToolsOf<K>>>
export async function openKit(kit: Kit | URL | string, options: ConnectOptions = {}): Promise<Link> {
  if (isKit(kit)) return connectOnNode(kit, options)
  const file = kit instanceof URL ? fileURLToPath(kit) : kit
  const loaded = await loadKit(file, false, false)
  return atFile(file, () => connectOnNode(loaded, { environment: process.env, ...options }))
}
