import { createHash } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { basename } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { JsonObject } from '../../protocol/messages.js'
import { wrapRegistry } from './registry.js'
import { sourceFile, sourceUrl } from './source.js'

/**
 * The plan in a packed file for a source and its options; otherwise a new one, which is reported to `pack`. Sources
 * that may contain secrets are not packed.
 */
export async function frozenOr<Plan>(
  kind: string,
  source: URL | string | JsonObject,
  options: JsonObject,
  make: () => Promise<Plan>,
  { mayHoldSecrets = false, packages = [] }: { mayHoldSecrets?: boolean; packages?: readonly string[] } = {},
): Promise<Plan> {
  const registry = wrapRegistry()
  const key = keyOf(kind, source, options)
  const frozen = registry.frozen[key]
  if (frozen) return frozen.plan as Plan
  const plan = await make()
  const isFile = typeof source === 'string' || source instanceof URL
  registry.onMade?.({
    key,
    plan,
    packages,
    ...(mayHoldSecrets && isFile ? { hollowPath: sourceFile(source) } : {}),
  })
  return plan
}

/** Functions are identified by their source text. */
const functionText = (_name: string, value: unknown): unknown =>
  typeof value === 'function' ? String(value) : value

/** The content of a local file; the URL of a remote source. */
function keyOf(kind: string, source: URL | string | JsonObject, options: JsonObject): string {
  const hash = createHash('sha256').update(kind).update(JSON.stringify(options, functionText))
  if (typeof source !== 'string' && !(source instanceof URL))
    return hash.update(JSON.stringify(source)).digest('hex').slice(0, 24)
  const url = sourceUrl(source)
  if (url.protocol !== 'file:') return hash.update(url.href).digest('hex').slice(0, 24)
  const file = fileURLToPath(url)
  return hash.update(basename(file)).update(contentMark(file)).digest('hex').slice(0, 24)
}

const hollow = 'jexo:hollow '

/** Key of a file: its content, or the mark of its content in a packed file. */
export function contentMark(file: string): string {
  if (!existsSync(file)) return ''
  const content = readFileSync(file)
  const text = content.subarray(0, 100).toString()
  return text.startsWith(hollow) ? text.slice(hollow.length) : createHash('sha256').update(content).digest('hex')
}

/** Replacement of a file that may contain secrets. */
export const hollowContent = (file: string): string => `${hollow}${contentMark(file)}`
