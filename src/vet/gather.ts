import { existsSync } from 'node:fs'
import { readdir } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { costsOf, tokensIn } from '../context-cost/context-cost.js'
import type { Kit } from '../kit/kit.js'
import { readCatalogue } from '../link/catalogue.js'
import type { Link } from '../link/link.js'
import type { PromptDefinition } from '../protocol/types.js'
import { labelOfStep } from '../replay/case.js'
import { readCase } from '../replay/read-case.js'
import { commandOf } from '../target/command-of.js'
import { openTarget, type Target } from '../target/target.js'
import type { NodeConnectOptions } from '../transport/node-connect.js'
import type { Contract } from './contract.js'
import { Heard } from './heard.js'
import type { Snapshot } from './snapshot.js'
import { lookAtViews } from './views/look.js'

export interface GatherOptions {
  /** The saved contract. */
  contract?: Contract | undefined
  /** Folder of recorded cases. Default: `cases` in the folder of the kit. */
  cases?: string | undefined
  timeoutMs?: number
}

/** Collects the input of the rules from a target. Rejects with a `JexoError` if it does not start or respond. */
export async function snapshotOf(
  target: Exclude<Target, { kind: 'tape' }>,
  { contract, cases, timeoutMs = 30_000 }: GatherOptions = {},
): Promise<Snapshot> {
  const heard = new Heard()
  const options: NodeConnectOptions = { timeoutMs, ...heard.listeners }
  // A kit is also started as a host would start it.
  const started = target.kind === 'kit' ? { kind: 'child' as const, command: commandOf(target) } : target
  const { link } = await openTarget(started, options)
  try {
    const snapshot = await lookAt(link)
    const folder = cases ?? (target.kind === 'kit' ? join(dirname(target.file), 'cases') : undefined)
    return {
      ...snapshot,
      contract,
      strays: heard.strays,
      diverted: heard.diverted,
      ...(target.kind === 'kit' ? { kit: await kitOf(target) } : {}),
      ...(folder !== undefined && existsSync(folder) ? { results: await resultsIn(folder) } : {}),
    }
  } finally {
    await link.close()
  }
}

async function kitOf(target: Extract<Target, { kind: 'kit' }>): Promise<Kit | undefined> {
  const { link, kit } = await openTarget(target, { toleratesMissing: true })
  await link.close()
  return kit
}

/** Reads the declarations of a server over an open link. */
export async function lookAt(link: Link): Promise<Snapshot> {
  const catalogue = await readCatalogue(link)
  const { name, version } = link.serverInfo
  const [costs, filled, seen] = await Promise.all([
    costsOf(catalogue.tools),
    fillOne(link, catalogue.prompts),
    lookAtViews(link, catalogue.tools, catalogue.resources),
  ])
  return { ...catalogue, name, version, instructions: link.instructions, costs, filled, ...seen }
}

/** A prompt whose required arguments the server completes itself, so that filling it is harmless. */
async function fillOne(link: Link, prompts: readonly PromptDefinition[]): Promise<Snapshot['filled']> {
  for (const { name, arguments: given = [] } of prompts.slice(0, 3)) {
    const needed = given.filter(({ required }) => required)
    const [first] = needed
    if (!first) continue
    try {
      const filled: Record<string, string> = {}
      for (const { name: argument } of needed) {
        const { values } = await link.complete({ prompt: name }, { name: argument, value: '' }, filled)
        filled[argument] = values[0] ?? 'x'
      }
      await link.fill(name, filled)
      return { name, arguments: filled, required: first.name }
    } catch {
      // Another prompt may have one.
    }
  }
  return undefined
}

/** Context costs of recorded results. Cases that cannot be read are reported by `replay`. */
async function resultsIn(folder: string): Promise<{ case: string; step: string; tokens: number }[]> {
  const names = (await readdir(folder)).filter((name) => /\.case\.ya?ml$/.test(name)).sort()
  const found: { case: string; step: string; tokens: number }[] = []
  for (const name of names) {
    const read = await readCase(join(folder, name)).catch(() => undefined)
    for (const step of read?.steps ?? []) {
      const { structured, exactly, text } = step.expect
      const recorded = text ?? JSON.stringify(exactly ?? structured ?? '')
      found.push({ case: name, step: labelOfStep(step), tokens: await tokensIn(recorded) })
    }
  }
  return found
}
