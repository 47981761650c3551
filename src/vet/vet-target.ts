import { existsSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { dirname } from 'node:path'
import type { Target } from '../target/target.js'
import { readChoices } from './configuration.js'
import type { Contract } from './contract.js'
import { vetErrors } from './errors.js'
import { snapshotOf } from './gather.js'
import { Heard } from './heard.js'
import { type ProbeReport, probe } from './probe/probe.js'
import { ruleIds } from './rules.js'
import type { Snapshot } from './snapshot.js'
import { type VetReport, vet } from './vet.js'
import { type WireReport, wireFindings } from './wire-findings.js'

export interface VetOptions {
  /** File of a saved contract. Default: `<name>.contract.json` in the folder of the kit, if it exists. */
  contract?: string | undefined
  /** Ignores any contract. */
  ignoresContract?: boolean
  /** Folder of recorded cases. Default: `cases` in the folder of the kit. */
  cases?: string | undefined
  /** Also checks the target against the standard, in this revision. Default: the newest. */
  wire?: { revision?: string | undefined } | undefined
  /** Number of generated calls of each read-only tool. */
  probe?: { calls: number; seed: number } | undefined
  /** Time limit of a request. Default: 30,000. */
  timeoutMs?: number | undefined
  /** Time limit of a `wire` check or a `probe` call in milliseconds. Default: 2,000 and 5,000. */
  checkTimeoutMs?: number | undefined
  onProgress?: (what: string, done: number, all: number) => void
}

export interface TargetReport extends VetReport {
  wire?: Omit<WireReport, 'findings'>
  probe?: Omit<ProbeReport, 'findings'>
  /** The input of the rules. */
  snapshot: Snapshot
}

/** Checks a target with every rule, and with the requested additional checks. Rejects with a `JexoError` if it does not start or respond. */
export async function vetTarget(
  target: Exclude<Target, { kind: 'tape' }>,
  {
    contract,
    ignoresContract,
    cases,
    wire,
    probe: probing,
    timeoutMs,
    checkTimeoutMs,
    onProgress = () => {},
  }: VetOptions = {},
): Promise<TargetReport> {
  const saved = ignoresContract
    ? undefined
    : await readContract(contract ?? contractFileOf(target), contract !== undefined)
  const snapshot = await snapshotOf(target, {
    contract: saved,
    cases,
    ...(timeoutMs === undefined ? {} : { timeoutMs }),
  })
  const held = wire
    ? await wireFindings(
        target,
        snapshot,
        { ...wire, revision: wire.revision, stepMs: checkTimeoutMs },
        (done, all) => onProgress('the standard: row', done, all),
      )
    : undefined
  const heard = new Heard()
  const probed = probing
    ? await probe(target, snapshot.tools, {
        ...probing,
        timeoutMs: checkTimeoutMs,
        heard,
        onTool: (done, all) => onProgress('probing: tool', done, all),
      })
    : undefined
  snapshot.strays = [...new Set([...(snapshot.strays ?? []), ...heard.strays])]
  snapshot.diverted = [...new Set([...(snapshot.diverted ?? []), ...heard.diverted])]
  const choices = await readChoices(target.kind === 'kit' ? dirname(target.file) : process.cwd(), ruleIds)
  const report = await vet(snapshot, choices, [...(held?.findings ?? []), ...(probed?.findings ?? [])])
  return {
    ...report,
    snapshot,
    ...(held ? { wire: without(held) } : {}),
    ...(probed ? { probe: without(probed) } : {}),
  }
}

function without<T extends { findings: unknown }>({ findings: _, ...rest }: T): Omit<T, 'findings'> {
  return rest
}

/** The contract file of a target. */
export const contractFileOf = (target: Target): string =>
  target.kind === 'kit' ? target.file.replace(/(\.kit)?\.[cm]?[jt]sx?$/, '.contract.json') : 'server.contract.json'

async function readContract(file: string, isWanted: boolean): Promise<Contract | undefined> {
  if (!existsSync(file)) {
    if (isWanted) throw vetErrors.contractUnreadable(file, 'there is no such file')
    return undefined
  }
  try {
    const contract = JSON.parse(await readFile(file, 'utf8')) as Contract
    if (contract.kind !== 'contract' || contract.version !== 1)
      throw new Error('it has no "kind": "contract" and "version": 1')
    return contract
  } catch (error) {
    throw vetErrors.contractUnreadable(file, (error as Error).message)
  }
}
