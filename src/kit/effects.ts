import type { ToolAnnotations } from '../protocol/types.js'

/** The effect of a tool on its environment: it reads, adds, changes or removes something. */
export type Effect = 'read' | 'add' | 'change' | 'remove'
export const effects: readonly Effect[] = ['read', 'add', 'change', 'remove']

const hints: Record<Effect, ToolAnnotations> = {
  read: { readOnlyHint: true },
  add: { readOnlyHint: false, destructiveHint: false },
  change: { readOnlyHint: false, destructiveHint: true },
  remove: { readOnlyHint: false, destructiveHint: true, idempotentHint: true },
}

/** The standard's hints for an effect (Tools, "Tool"). */
export function annotationsOf(effect: Effect): ToolAnnotations {
  return hints[effect]
}

/**
 * The effect that the hints of any server's tool describe. Without hints the standard's defaults apply, which mean
 * "change".
 */
export function effectOf(annotations: ToolAnnotations | undefined): Effect {
  if (annotations?.readOnlyHint) return 'read'
  if (annotations?.destructiveHint === false) return 'add'
  return annotations?.destructiveHint && annotations.idempotentHint ? 'remove' : 'change'
}
