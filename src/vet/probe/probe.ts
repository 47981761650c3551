import type { Link } from '../../link/link.js'
import { protocolErrors } from '../../protocol/errors.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { ToolDefinition } from '../../protocol/types.js'
import { commandOf } from '../../target/command-of.js'
import { openTarget, type Target } from '../../target/target.js'
import type { Finding } from '../finding.js'
import { Heard } from '../heard.js'
import { issuesOf } from '../schema-issues.js'
import { inTool } from '../snapshot.js'
import { fitting } from './arbitrary.js'
import { breaking } from './breaking.js'
import { LongWork, type Outcome, type ProbeRule, probeRules, type Verdict, verdictOn } from './verdict.js'

export interface ProbeOptions {
  /** Number of calls for each tool; half of them have arguments that its schema forbids. */
  calls: number
  /** Seed of the generator; the same seed gives the same calls. */
  seed: number
  /** Time limit of a call. Default: 5,000. */
  timeoutMs?: number | undefined
  onTool?: (done: number, all: number) => void
  /** Called with output printed during that time. */
  heard?: Heard
}

export interface ProbeReport {
  seed: number
  /** Number of tools that were called, and of all calls without shrinking. */
  tools: number
  calls: number
  /** Tools that were not called, since they do not declare that they only read. */
  left: number
  findings: Finding[]
}

/** Number of tools that are probed at the same time. */
const mostAtOnce = 4
/** Limits for shrinking a failing call. */
const mostShrinks = 200
const mostShrinkMs = 10_000
/** How often one tool may hang or end the server before it is skipped. */
const mostLosses = 4
const shrinksOfLoss = 3

/**
 * Calls every read-only tool with generated arguments, valid and invalid ones, and reports what fails, with the
 * smallest arguments that still fail. A tool that cannot be probed is a finding; the others continue.
 */
export async function probe(
  target: Exclude<Target, { kind: 'tape' }>,
  tools: readonly ToolDefinition[],
  { calls, seed, timeoutMs = 5000, onTool = () => {}, heard = new Heard() }: ProbeOptions,
): Promise<ProbeReport> {
  const readers = tools.filter(({ annotations }) => annotations?.readOnlyHint === true)
  const report: ProbeReport = {
    seed,
    tools: readers.length,
    calls: 0,
    left: tools.length - readers.length,
    findings: [],
  }
  const waiting = [...readers]
  let done = 0
  // Each uses its own link for its tools, so that the call that ends a server is known.
  const work = async () => {
    const caller = new Caller(target, timeoutMs, heard)
    try {
      for (let tool = waiting.shift(); tool; tool = waiting.shift()) {
        onTool(done++, readers.length)
        const { made, findings } = await probeTool(caller, tool, calls, seed).catch((error: Error) =>
          unmade(tool, error),
        )
        report.calls += made
        report.findings.push(...findings)
      }
    } finally {
      await caller.close()
    }
  }
  await Promise.all(Array.from({ length: Math.min(mostAtOnce, readers.length) }, work))
  return report
}

async function probeTool(
  caller: Caller,
  tool: ToolDefinition,
  calls: number,
  seed: number,
): Promise<{ made: number; findings: Finding[] }> {
  const { default: fc } = await import('fast-check')
  const valid = fitting(fc, tool.inputSchema)
  const wrong = breaking(fc, tool.inputSchema, valid)
  const halves = [
    { values: valid, numRuns: Math.ceil(calls / 2) },
    { values: wrong, numRuns: Math.floor(calls / 2) },
  ]
  const findings: Finding[] = []
  let made = 0
  let losses = 0
  for (const { values, numRuns } of halves) {
    if (numRuns === 0) continue
    // Each set of arguments is used once, even if the generator repeats it.
    const judged = new Map<string, Verdict | undefined>()
    const judge = async (value: unknown): Promise<Verdict | undefined> => {
      const args = isObject(value) ? value : {}
      const key = JSON.stringify(args)
      if (!judged.has(key) && losses < mostLosses) {
        const verdict = await caller.judge(tool, args)
        judged.set(key, verdict)
        if (verdict && lost.has(verdict.rule)) losses++
      }
      return judged.get(key)
    }
    await fc.check(
      fc.asyncProperty(values, async (value) => {
        await judge(value)
        return true
      }),
      { numRuns, seed },
    )
    made += judged.size
    for (const rule of new Set([...judged.values()].flatMap((verdict) => (verdict ? [verdict.rule] : [])))) {
      if (findings.some((finding) => finding.rule === rule)) continue
      const until = Date.now() + mostShrinkMs
      let shrinks = mostShrinks
      if (lost.has(rule)) losses = Math.min(losses, mostLosses - shrinksOfLoss)
      const { counterexample } = await fc.check(
        fc.asyncProperty(values, async (value) => {
          const isKnown = judged.has(JSON.stringify(isObject(value) ? value : {}))
          if (!isKnown && (shrinks-- <= 0 || Date.now() > until)) return true
          return (await judge(value))?.rule !== rule
        }),
        { numRuns, seed },
      )
      const [smallest] = counterexample ?? []
      const args = isObject(smallest) ? smallest : {}
      const verdict = judged.get(JSON.stringify(args))
      if (verdict) findings.push(findingOf(tool, args, verdict, seed))
    }
  }
  return { made, findings }
}

/** Reports schemas without valid values and servers that do not restart, and continues with the other tools. */
function unmade(tool: ToolDefinition, error: Error): { made: number; findings: Finding[] } {
  const what = `the probe did not complete: ${error.message.split('\n')[0]}`
  const fix = 'check that a value can match its schema, and that the server restarts'
  return {
    made: 0,
    findings: [
      { rule: 'probe-unmade', group: 'probe', severity: 'note', location: inTool(tool), problem: what, fix },
    ],
  }
}

function findingOf(tool: ToolDefinition, args: JsonObject, { rule, what, fix }: Verdict, seed: number): Finding {
  const severity = probeRules.find(({ id }) => id === rule)?.severity ?? 'error'
  const shown = JSON.stringify(args)
  const given = shown.length > 300 ? `${shown.slice(0, 300)}… (${shown.length} characters)` : shown
  return {
    rule,
    group: 'probe',
    severity,
    location: inTool(tool),
    problem: `called with ${given}, ${what}`,
    fix: `${fix} (seed ${seed})`,
  }
}

/** Sends calls over a link that is reopened when a call has ended it. */
class Caller {
  readonly #target: Exclude<Target, { kind: 'tape' }>
  readonly #timeoutMs: number
  readonly #heard: Heard
  #link: Link | undefined
  /** Tools with a call that did not end within a long time either. */
  readonly #hanging = new Set<string>()
  /** A hanging server takes time to end; the next one need not wait for it. */
  readonly #closing: Promise<void>[] = []
  constructor(target: Exclude<Target, { kind: 'tape' }>, timeoutMs: number, heard: Heard) {
    this.#target = target
    this.#timeoutMs = timeoutMs
    this.#heard = heard
  }

  async judge(tool: ToolDefinition, args: JsonObject): Promise<Verdict | undefined> {
    const isAllowed = (await issuesOf(tool.inputSchema, args)).length === 0
    const verdict = await verdictOn(tool, isAllowed, await this.#call(tool.name, args))
    if (verdict && lost.has(verdict.rule)) this.#drop()
    return verdict
  }

  async #call(tool: string, args: JsonObject): Promise<Outcome> {
    const first = await this.#callOnce(tool, args, this.#timeoutMs)
    if (first !== 'silent') return first
    if (!this.#hanging.has(tool)) {
      // On a busy machine, exceeding a short limit is not a hang: the first such call is repeated in a new process with
      // a longer limit.
      this.#drop()
      const again = await this.#callOnce(tool, args, Math.max(this.#timeoutMs, leastHangMs))
      if (again !== 'silent') return again
      this.#hanging.add(tool)
    }
    return { error: protocolErrors.requestTimedOut(`tools/call ${tool}`, this.#timeoutMs) }
  }

  async #callOnce(tool: string, args: JsonObject, timeoutMs: number): Promise<Outcome | 'silent'> {
    const link = await this.#opened()
    // Progress can extend a call indefinitely; this limit is fixed.
    const signal = AbortSignal.timeout(timeoutMs)
    let progressed = 0
    const onProgress = () => void progressed++
    try {
      return { result: await link.call(tool, args, { signal, timeoutMs, onProgress }) }
    } catch (error) {
      if (!signal.aborted) return { error }
      return progressed > 0 && (await responds(link)) ? { error: new LongWork() } : 'silent'
    }
  }

  async #opened(): Promise<Link> {
    if (!this.#link) {
      const target = this.#target
      const started = target.kind === 'kit' ? { kind: 'child' as const, command: commandOf(target) } : target
      const { link } = await openTarget(started, { timeoutMs: 30_000, ...this.#heard.listeners })
      this.#link = link
    }
    return this.#link
  }

  #drop(): void {
    if (this.#link) this.#closing.push(this.#link.close())
    this.#link = undefined
  }

  async close(): Promise<void> {
    this.#drop()
    await Promise.all(this.#closing)
  }
}

/** True if the server responds at once after a call was cancelled. */
function responds(link: Link): Promise<boolean> {
  return new Promise((resolve) => {
    const timer = setTimeout(() => resolve(false), 1000)
    const finish = (isAlive: boolean) => () => {
      clearTimeout(timer)
      resolve(isAlive)
    }
    link.ping().then(finish(true), finish(false))
  })
}

/** The minimum time before a call counts as a hang. */
const leastHangMs = 3000

const lost: ReadonlySet<ProbeRule> = new Set(['probe-crash', 'probe-hang'])
