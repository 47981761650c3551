import { chosenFrom } from '../../kit/choose.js'
import type { Effect } from '../../kit/effects.js'

export interface ChoosingOptions {
  /**
   * Operations to include: names of tools, operation ids, paths (`/hives/*`), `GET /hives`, `method:get`, `tag:hives`;
   * all may be globs. A write that is named without a glob is included too.
   */
  readonly only?: readonly string[]
  readonly except?: readonly string[]
  /** Includes operations that write: all, or those with these names and globs. Default: only reads. */
  readonly writes?: boolean | readonly string[]
}

/** An operation with the name of its tool. */
export interface Choosable<Operation extends ChoosableOperation = ChoosableOperation> {
  readonly operation: Operation
  readonly name: string
  readonly effect: Effect
}
interface ChoosableOperation {
  readonly operationId?: string
  readonly method: string
  readonly path: string
  readonly tags?: readonly string[]
}

export const effectOfMethod: Readonly<Record<string, Effect>> = {
  GET: 'read',
  QUERY: 'read',
  HEAD: 'read',
  OPTIONS: 'read',
  TRACE: 'read',
  POST: 'add',
  PUT: 'change',
  PATCH: 'change',
  DELETE: 'remove',
}

/** Properties by which an operation can be chosen. */
const view = ({ name, operation: { operationId, method, path, tags = [] } }: Choosable) => ({
  key: name,
  tags,
  others: [
    ...(operationId === undefined ? [] : [operationId]),
    path,
    `path:${path}`,
    `${method} ${path}`,
    `method:${method.toLowerCase()}`,
  ],
})

/** The operations that match these names, paths, tags and globs. Throws a `JexoError` for one that matches nothing. */
export const chosenOperations = <One extends Choosable>(
  all: readonly One[],
  names: readonly string[] = [],
): Set<One> => chosenFrom(all, view, names)

export interface Reason {
  reason: string
  fix?: string
}

/**
 * Reasons why operations are skipped; operations without an entry are included. Throws a `JexoError` for a name that
 * matches nothing.
 */
export function chooseOperations<One extends Choosable>(
  all: readonly One[],
  { only = [], except = [], writes = false }: ChoosingOptions,
  leavesOutProbes = true,
): Map<One, Reason> {
  const wanted = only.length > 0 ? chosenOperations(all, only) : new Set(all)
  const unwanted = chosenOperations(all, except)
  const named = chosenOperations(
    all,
    only.filter((name) => !name.includes('*') && !/^(\/|tag:|method:|path:)/.test(name)),
  )
  const allowed = Array.isArray(writes) ? chosenOperations(all, writes) : new Set<One>(writes === true ? all : [])
  const reasons = new Map<One, Reason>()
  for (const one of all) {
    const { method } = one.operation
    if (!wanted.has(one) && !(Array.isArray(writes) && allowed.has(one)))
      reasons.set(one, { reason: 'not included by only' })
    else if (unwanted.has(one)) reasons.set(one, { reason: 'excluded by except' })
    else if (leavesOutProbes && /^(HEAD|OPTIONS|TRACE)$/.test(method) && !named.has(one))
      reasons.set(one, { reason: `${method} returns no data`, fix: 'include it by name' })
    else if (one.effect !== 'read' && !allowed.has(one) && !named.has(one))
      reasons.set(one, {
        reason: 'writes data',
        fix: 'include it by name, or include all writes with --writes (writes: true)',
      })
  }
  return reasons
}
