import type { RunningKit } from '../engine/running-kit.js'
import { isJexoError } from '../errors.js'
import { keyOf, type Part } from '../kit/part.js'
import { loadKit, shownPath } from '../kit-file/kit-file.js'
import { watchSources } from '../kit-file/watch-sources.js'
import type { LogLevel } from './log.js'

/**
 * Reloads a served kit when its file or an import changes. Sessions stay; running calls finish on the old kit. If an
 * edit does not load, the old kit stays, and the error is reported. Returns a function that ends the watching.
 */
export function watchKit(
  file: string,
  running: RunningKit,
  say: (level: LogLevel, text: string) => void,
): () => void {
  const { close } = watchSources([], async () => {
    try {
      const kit = await loadKit(file, true)
      const before = running.kit.parts
      running.exchange(kit)
      say('info', `${shownPath(file)} reloaded: ${changesBetween(before, kit.parts)}`)
    } catch (error) {
      const reason = isJexoError(error) ? error.message : String(error)
      say('warning', `reload failed, the previous version keeps serving: ${reason}`)
    }
  })
  return () => void close()
}

function changesBetween(before: readonly Part[], after: readonly Part[]): string {
  const names = (parts: readonly Part[]) => new Set(parts.map((part) => `${part.kind} ${keyOf(part)}`))
  const [old, now] = [names(before), names(after)]
  const added = [...now].filter((name) => !old.has(name))
  const gone = [...old].filter((name) => !now.has(name))
  const shape = (parts: readonly Part[]) =>
    new Map(parts.map((part) => [`${part.kind} ${keyOf(part)}`, shapeOf(part)]))
  const [former, latter] = [shape(before), shape(after)]
  const changed = [...latter].flatMap(([name, made]) =>
    former.has(name) && former.get(name) !== made ? [name] : [],
  )
  const lines = [
    ...added.map((name) => `new ${name}`),
    ...gone.map((name) => `gone ${name}`),
    ...changed.map((name) => `changed ${name}`),
  ]
  if (lines.length === 0) return 'no part changed for hosts'
  return lines.length > maxNamed
    ? `${lines.slice(0, maxNamed).join(', ')} and ${lines.length - maxNamed} more`
    : lines.join(', ')
}

/** Maximum number of parts that a line names. */
const maxNamed = 12

/** The definition of a part as hosts see it. Its implementation may change without affecting it. */
function shapeOf(part: Part): string {
  const { about, title, tags } = part
  const more =
    part.kind === 'tool'
      ? [part.inputSchema, part.outputSchema, part.effect]
      : part.kind === 'prompt'
        ? [part.inputSchema]
        : [part.mimeType]
  return JSON.stringify([about, title, tags, ...more])
}
