import { chosenFrom } from '../../kit/choose.js'
import type { DescribedFunction, ProcessDescription } from './description.js'

export interface ProcessPlanOptions {
  /** Names of tools; `*` matches any characters. Default: all. */
  readonly only?: readonly string[]
  readonly except?: readonly string[]
  /** Prefix of the tool names. */
  readonly prefix?: string
  readonly tags?: readonly string[]
}

/** The tools of a program, as plain JSON. */
export interface ProcessPlan {
  readonly version: 1
  readonly kind: 'process'
  readonly program: string
  readonly about?: string
  readonly tools: readonly PlannedFunction[]
  readonly tags: readonly string[]
}
export interface PlannedFunction {
  /** Name of the tool. */
  readonly as: string
  readonly definition: DescribedFunction
}

/** Plans the tools of a program. Pure. Throws a `JexoError` if a name matches nothing. */
export function planFunctions(
  program: string,
  { about, tools }: ProcessDescription,
  { only = [], except = [], prefix = '', tags = [] }: ProcessPlanOptions = {},
): ProcessPlan {
  const view = ({ name }: DescribedFunction) => ({ key: name })
  const chosen = only.length === 0 ? new Set(tools) : chosenFrom(tools, view, only)
  const excluded = chosenFrom(tools, view, except)
  return {
    version: 1,
    kind: 'process',
    program,
    ...(about === undefined ? {} : { about }),
    tools: tools
      .filter((one) => chosen.has(one) && !excluded.has(one))
      .map((definition) => ({ as: `${prefix}${definition.name}`, definition })),
    tags,
  }
}
