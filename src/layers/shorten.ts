import { LRUCache } from 'lru-cache'
import { content } from '../kit/content.js'
import { type Layer, type LayerCall, type LayerOptions, layer } from '../kit/layer.js'
import { plainJson } from '../kit/plain-json.js'
import { Refusal } from '../kit/refusal.js'
import { template } from '../kit/template.js'
import { whoOf } from './by.js'
import { positive } from './check.js'

export interface ShortenOptions extends Pick<LayerOptions, 'only'> {
  /** Longest text of a result, in characters. Default: 40,000. */
  maxCharacters?: number
  /** How long the whole result can be read, in milliseconds. Default: 600,000. */
  keepMs?: number
}

interface Whole {
  who: string
  text: string
}

/** Maximum size of all stored results, in characters. */
const mostCharacters = 50_000_000

/** Shared by all layers of this process, so that a kit has one template for them. */
const wholes = new LRUCache<string, Whole>({
  maxSize: mostCharacters,
  sizeCalculation: ({ text }) => text.length + 1,
  ttl: 600_000,
  ttlResolution: 0,
  perf: { now: () => performance.now() },
})

const reading = template('jexo-result://{id}', {
  name: 'whole-result',
  about:
    'The complete text of a truncated result. The truncated result contains the link, which expires after a while.',
  read: ({ id }, call) => {
    const found = wholes.get(id)
    if (!found || found.who !== ownerOf(call as LayerCall))
      throw new Refusal('This result has expired. Call the tool again.')
    return found.text
  },
})

/**
 * Shortens long results of tools, with a note and a link to the whole result, which the caller can read for a while.
 * Results of tools with an output schema stay whole, since a part would not match the schema.
 *
 * @example shorten({ maxCharacters: 20_000 })
 */
export function shorten({ maxCharacters = 40_000, keepMs = 600_000, only }: ShortenOptions = {}): Layer {
  positive('shorten', { maxCharacters, keepMs })
  return layer(
    'shorten',
    async (call, next, note) => {
      const value = await next()
      if (call.part.kind !== 'tool' || call.part.output !== undefined) return value
      const text = textOf(value)
      if (text === undefined || text.length <= maxCharacters) return value
      const id = crypto.randomUUID()
      wholes.set(id, { who: ownerOf(call), text }, { ttl: keepMs })
      note('shortened', { characters: text.length })
      const uri = `jexo-result://${id}`
      return [
        content.text(
          `${cut(text, maxCharacters)}\n\n[Cut after ${maxCharacters} of ${text.length} characters. The whole result is the resource ${uri}.]`,
        ),
        content.link({ uri, name: 'whole-result', mimeType: 'text/plain' }),
      ]
    },
    { ...(only ? { only } : {}), methods: ['tools/call'], parts: [reading] },
  )
}

/** Owner of the whole result: the caller, or the session if there is no authentication. */
const ownerOf = (call: LayerCall) => whoOf(call, call.identity ? 'identity' : 'session')

/** The text form of a value; undefined for content of other kinds. */
function textOf(value: unknown): string | undefined {
  if (typeof value === 'string') return value
  if (value === undefined || value === null || (Array.isArray(value) === false && 'type' in Object(value)))
    return undefined
  const plain = plainJson(value)
  return plain.ok ? JSON.stringify(plain.value) : undefined
}

/** Does not split surrogate pairs. */
function cut(text: string, at: number): string {
  const last = text.charCodeAt(at - 1)
  return text.slice(0, last >= 0xd800 && last <= 0xdbff ? at - 1 : at)
}
