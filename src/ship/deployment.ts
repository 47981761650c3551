import { mkdir, readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { ErrorCode } from '../errors.js'

/** Settings of a deployment: stored in its folder, and changed by the options of `ship`. */
export interface DeploymentSettings {
  /** Address of its port. Default: 127.0.0.1. */
  host: string
  port: number
  /** Path of the endpoint. Default: /mcp. */
  path: string
  /** The public URL. */
  publicUrl?: string
  allowedHosts?: string[]
  isOpenToAnyone?: boolean
  /** How long sessions of the previous release may continue. Default: ten minutes. */
  drainMs: number
  /** How long a release may take to be ready. Default: thirty seconds. */
  readyMs: number
}

export const usualSettings: DeploymentSettings = {
  host: '127.0.0.1',
  port: 4870,
  path: '/mcp',
  drainMs: 600_000,
  readyMs: 30_000,
}

/** One release of a deployment. */
export interface ReleaseNote {
  id: string
  /** Name of the packed file. */
  file: string
  kit: string
  version: string
  /** When it was last activated or refused. ISO 8601. */
  at: string
  outcome: 'served' | 'refused'
}
export interface DeploymentState {
  current?: string
  /** Oldest first. */
  releases: ReleaseNote[]
}

/** How to reach the running supervisor. */
export interface RunningNote {
  pid: number
  port: number
  token: string
}

/** Header that `ship` sends before the packed file. */
export interface ShipHeader {
  id: string
  file: string
  kit: string
  version: string
  /** `linux-x64` if it contains native modules. */
  platform?: string
  bytes: number
  settings: Partial<DeploymentSettings>
  /** Variables for the `.env` of the deployment. */
  environment: Record<string, string>
  /** Creates a token if access requires one and there is none. */
  makesToken: boolean
}

/** An error as sent by the remote machine. */
export interface Failure {
  code: ErrorCode
  problem: string
  fix: string
  location?: string | undefined
}

/** Progress messages of the remote machine: one JSON object per line. */
export type FarEvent =
  | { say: string }
  | { failed: Failure }
  | { done: ShipDone }
  | { status: DeploymentStatus }
  | { logs: string }

export interface ShipDone {
  id: string
  /** Address on the remote machine. */
  url: string
  publicUrl?: string
  /** Token of callers; only sent to `ship`. */
  token?: string
  tools: number
}

export interface DeploymentStatus {
  url: string
  publicUrl?: string
  isRunning: boolean
  current?: string
  releases: (ReleaseNote & { state: 'serving' | 'draining' | 'starting' | 'kept'; sessions: number })[]
}

export const deploymentFiles = {
  settings: (folder: string) => join(folder, 'deployment.json'),
  memory: (folder: string) => join(folder, 'releases.json'),
  running: (folder: string) => join(folder, 'running.json'),
  environment: (folder: string) => join(folder, '.env'),
  release: (folder: string, id: string) => join(folder, 'releases', id),
  log: (folder: string, name: string) => join(folder, 'logs', `${name}.log`),
}

export async function readJson<T>(file: string): Promise<T | undefined> {
  try {
    return JSON.parse(await readFile(file, 'utf8')) as T
  } catch {
    return undefined
  }
}

/** Writes a file atomically, readable only by its owner. */
export async function writeWhole(file: string, content: string | Uint8Array, mode = 0o600): Promise<void> {
  await mkdir(join(file, '..'), { recursive: true })
  const draft = `${file}.${process.pid}.draft`
  await writeFile(draft, content, { mode })
  await rename(draft, file)
}

export const writeJson = (file: string, value: unknown): Promise<void> =>
  writeWhole(file, `${JSON.stringify(value, null, 2)}\n`)

export const readSettings = async (folder: string): Promise<DeploymentSettings> => ({
  ...usualSettings,
  ...(await readJson<Partial<DeploymentSettings>>(deploymentFiles.settings(folder))),
})

export const readMemory = async (folder: string): Promise<DeploymentState> =>
  (await readJson<DeploymentState>(deploymentFiles.memory(folder))) ?? { releases: [] }
