import { randomInt, randomUUID } from 'node:crypto'
import type { JsonObject } from '../../protocol/messages.js'
import type { PlannedOperation } from './operation.js'

/** Templates with `{{guid}}`, `{{timestamp}}`, `{{datetime}}` or `{{randomInt}}`, by argument name. */
export type Generated = Readonly<Record<string, string>>

const units: Readonly<Record<string, number>> = {
  s: 1,
  m: 60,
  h: 3600,
  d: 86_400,
  w: 604_800,
  M: 2_592_000,
  y: 31_536_000,
}

/** The arguments, with missing ones generated for this call. */
export function withGenerated({ generated, input }: PlannedOperation, given: JsonObject): JsonObject {
  if (!generated) return given
  const properties = (input.properties ?? {}) as Record<string, { type?: unknown }>
  const made = Object.entries(generated)
    .filter(([name]) => given[name] === undefined)
    .map(([name, text]) => {
      const value = text.replace(/\{\{(\w+)((?: -?\w+)*)\}\}/g, (_all, what: string, more: string) =>
        valueOfKind(what, more.trim().split(' ').filter(Boolean)),
      )
      return [name, properties[name]?.type === 'integer' ? Number(value) : value]
    })
  return { ...given, ...Object.fromEntries(made) }
}

/** Names of values that can be generated. */
export const isGenerator = (name: string): boolean => /^(guid|timestamp|datetime|randomInt)$/.test(name)

function valueOfKind(kind: string, [first, second]: readonly string[]): string {
  if (kind === 'guid') return randomUUID()
  if (kind === 'randomInt') return String(numberBetween(first, second))
  const offset = Number(first ?? 0) * (units[second ?? 's'] ?? 1)
  const seconds = Math.floor(Date.now() / 1000) + (Number.isFinite(offset) ? offset : 0)
  return kind === 'timestamp' ? String(seconds) : new Date(seconds * 1000).toISOString()
}

function numberBetween(least = '0', most = '1000'): number {
  const from = Math.trunc(Number(least)) || 0
  const to = Math.trunc(Number(most)) || 0
  return to > from && to - from < 2 ** 48 && Number.isSafeInteger(from) ? randomInt(from, to) : from
}
