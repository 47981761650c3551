import { messageOf } from '../errors.js'
import type { Identity } from '../kit/call.js'
import type { Kit } from '../kit/kit.js'
import { keyOf, labelOf, type Part } from '../kit/part.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { PartIndex } from './part-index.js'

/** The parts that are hidden from a caller; `key` is equal for callers with the same hidden parts. */
interface Hidden {
  readonly key: string
  readonly parts: ReadonlySet<Part>
}

/** Determines which parts are visible to whom. Results are cached per caller until the parts change. */
export class Gates {
  readonly #report: (text: string) => void
  #index: PartIndex | undefined
  readonly #told = new Set<string>()
  #found = new WeakMap<Identity, Hidden | { none: true }>()

  constructor(report: (text: string) => void) {
    this.#report = report
  }

  /** Undefined if everything is visible to the caller. */
  hiddenFrom(identity: Identity, kit: Kit, index: PartIndex): Hidden | undefined {
    if (this.#index !== index) {
      this.#index = index
      this.#found = new WeakMap()
      this.#told.clear()
    }
    const known = this.#found.get(identity)
    if (known) return 'none' in known ? undefined : known
    const made = this.#find(identity, kit)
    this.#found.set(identity, made ?? { none: true })
    return made
  }

  #find(identity: Identity, kit: Kit): Hidden | undefined {
    if (kit.visibleTo && !this.#isVisible('the kit', kit.visibleTo, identity))
      return { key: 'all', parts: new Set(kit.parts) }
    const places: number[] = []
    const parts = kit.parts.filter((part, place) => {
      const { visibleTo } = part
      if (!visibleTo || this.#isVisible(labelOf(part.kind, keyOf(part)), visibleTo, identity)) return false
      places.push(place)
      return true
    })
    return parts.length === 0 ? undefined : { key: places.join(), parts: new Set(parts) }
  }

  /** A part whose function fails is hidden from all callers, and the error is logged. */
  #isVisible(label: string, visibleTo: (identity: Identity) => boolean, identity: Identity): boolean {
    try {
      return visibleTo(identity) === true
    } catch (error) {
      if (!this.#told.has(label)) this.#report(`visibleTo of ${label} failed: ${messageOf(error)}`)
      this.#told.add(label)
      return false
    }
  }
}

/** The scopes that a request needs: those of the kit and of the part that it names. None for a part that does not exist. */
export function scopesNeeded(
  kit: Kit,
  index: PartIndex,
  method: string,
  params: JsonObject | undefined,
): readonly string[] {
  const part = partOf(index, method, params)
  if (!part) return []
  if (!part.scopes) return kit.scopes
  return kit.scopes.length === 0 ? part.scopes : [...new Set([...kit.scopes, ...part.scopes])]
}

function partOf(index: PartIndex, method: string, params: JsonObject | undefined): Part | undefined {
  const { name, uri, ref } = params ?? {}
  if (method === 'tools/call') return typeof name === 'string' ? index.tools.get(name)?.part : undefined
  if (method === 'prompts/get') return typeof name === 'string' ? index.prompts.get(name)?.part : undefined
  if (method === 'resources/read' || method === 'resources/subscribe')
    return typeof uri === 'string' ? readable(index, uri) : undefined
  if (method !== 'completion/complete' || !isObject(ref)) return undefined
  if (typeof ref.name === 'string') return index.prompts.get(ref.name)?.part
  return typeof ref.uri === 'string' ? index.templates.get(ref.uri)?.part : undefined
}

function readable(index: PartIndex, uri: string): Part | undefined {
  const fixed = index.resources.get(uri)?.part
  if (fixed) return fixed
  for (const { part } of index.templates.values()) if (part.parsed.match(uri)) return part
  return undefined
}

/** All scopes that parts require, of parts that are visible to everyone. */
export const scopesOffered = (kit: Kit): string[] => [
  ...new Set([...kit.scopes, ...kit.parts.flatMap((part) => (part.visibleTo ? [] : (part.scopes ?? [])))]),
]
