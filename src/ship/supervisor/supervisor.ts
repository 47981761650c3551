import { existsSync } from 'node:fs'
import { readFile, rm } from 'node:fs/promises'
import { parse } from 'dotenv'
import {
  type DeploymentSettings,
  type DeploymentState,
  type DeploymentStatus,
  deploymentFiles,
  type ReleaseNote,
  readMemory,
  readSettings,
  writeJson,
} from '../deployment.js'
import { shipErrors } from '../errors.js'
import { Release } from './release.js'
import { Router } from './router.js'

/** Number of releases that are kept on disk for a rollback. */
const keptReleases = 5
/** Time for requests that were passed to a release just before it is asked to end. */
const settleMs = 1000

/** Owns the port of a deployment, and decides which release serves it. */
export class Supervisor {
  readonly #folder: string
  readonly #router = new Router()
  readonly #draining = new Set<Release>()
  readonly #log: (text: string) => void
  #settings: DeploymentSettings
  #memory: DeploymentState = { releases: [] }
  #starting: string | undefined

  private constructor(folder: string, settings: DeploymentSettings, log: (text: string) => void) {
    this.#folder = folder
    this.#settings = settings
    this.#log = log
  }

  /** Takes the port, and starts the release that served last, if any. Rejects if the port is taken. */
  static async open(folder: string, log: (text: string) => void): Promise<Supervisor> {
    const settings = await readSettings(folder)
    const supervisor = new Supervisor(folder, settings, log)
    const port = await supervisor.#router.listen(settings.host, settings.port)
    supervisor.#settings = { ...settings, port }
    if (settings.port === 0) await writeJson(deploymentFiles.settings(folder), supervisor.#settings)
    supervisor.#memory = await readMemory(folder)
    const { current } = supervisor.#memory
    const note = supervisor.#memory.releases.find(({ id }) => id === current)
    if (note) {
      const release = await supervisor.#newRelease(note)
      supervisor.#router.current = release
      void release.start().catch((error: Error) => log(error.message))
    }
    return supervisor
  }

  get hasRelease(): boolean {
    return this.#router.current !== undefined
  }

  /** The address cannot change while it runs. Throws a `JexoError` if the settings ask for another one. */
  async takeSettings(): Promise<void> {
    const wanted = await readSettings(this.#folder)
    const { host, port } = this.#settings
    if (wanted.host !== host || (wanted.port !== port && wanted.port !== 0))
      throw shipErrors.deployAddressFixed(`${host}:${port}`)
    this.#settings = { ...wanted, port }
  }

  /**
   * Starts a release next to the current one, and switches to it after its first response. Returns its number of tools.
   * Rejects with a `JexoError`, and changes nothing, if it does not respond.
   */
  async switchTo(note: ReleaseNote, say: (text: string) => void): Promise<number> {
    if (this.#starting !== undefined) throw shipErrors.deployBusy(this.#starting)
    this.#starting = note.id
    try {
      await this.takeSettings()
      say(`starting ${note.id}`)
      const release = await this.#newRelease(note)
      try {
        await release.start()
      } catch (error) {
        await this.#remember({ ...note, outcome: 'refused' })
        throw error
      }
      const before = this.#router.current
      this.#router.current = release
      await this.#remember({ ...note, outcome: 'served' }, note.id)
      say(`${note.id} responds; new sessions go to it`)
      if (before) this.#retire(before, say)
      await this.#tidy()
      return release.tools
    } finally {
      this.#starting = undefined
    }
  }

  /** The release that served before the current one. Throws a `JexoError` if there is none, or none with that id. */
  before(id?: string): ReleaseNote {
    const { current, releases } = this.#memory
    const kept = releases.filter(
      ({ outcome, id }) => outcome === 'served' && existsSync(deploymentFiles.release(this.#folder, id)),
    )
    const found =
      id === undefined ? kept.filter((note) => note.id !== current).at(-1) : kept.find((note) => note.id === id)
    if (!found)
      throw shipErrors.releaseUnknown(
        id,
        kept.map((note) => note.id),
      )
    return found
  }

  status(): DeploymentStatus {
    const { host, port, path, publicUrl } = this.#settings
    const running = [this.#router.current, ...this.#draining].filter((release) => release !== undefined)
    return {
      url: urlAt(host, port, path),
      ...(publicUrl === undefined ? {} : { publicUrl }),
      isRunning: true,
      ...(this.#memory.current === undefined ? {} : { current: this.#memory.current }),
      releases: this.#memory.releases.map((note) => {
        const release = running.find((one) => one.note.id === note.id)
        const state =
          release === undefined
            ? note.id === this.#starting
              ? ('starting' as const)
              : ('kept' as const)
            : release === this.#router.current
              ? ('serving' as const)
              : ('draining' as const)
        return { ...note, state, sessions: release ? this.#router.sessionsOf(release) : 0 }
      }),
    }
  }

  async close(): Promise<void> {
    const running = [this.#router.current, ...this.#draining]
    this.#router.current = undefined
    await Promise.all(running.map((release) => release?.stop()))
    await this.#router.close()
  }

  /** Its sessions stay with it until they end, or the time limit is reached. */
  #retire(release: Release, say: (text: string) => void): void {
    const { drainMs } = this.#settings
    const endsAt = Date.now() + drainMs
    const count = this.#router.sessionsOf(release)
    const sessions = count === 1 ? '1 session' : `${count} sessions`
    say(
      count > 0
        ? `${release.note.id} keeps ${sessions} for at most ${Math.round(drainMs / 1000)} s`
        : `${release.note.id} stopped`,
    )
    this.#draining.add(release)
    const look = () => {
      const isIdle = this.#router.sessionsOf(release) === 0 && release.inFlight === 0
      if (!isIdle && Date.now() < endsAt) return void setTimeout(look, 100)
      this.#router.forget(release)
      // Requests on their way to it arrive first.
      const settled = new Promise((wake) => setTimeout(wake, isIdle ? 0 : settleMs))
      void settled
        .then(() => release.stop())
        .then(() => {
          this.#draining.delete(release)
          this.#log(`${release.note.id} has ended${isIdle ? '' : '; its drain time is over'}`)
        })
    }
    look()
  }

  async #newRelease(note: ReleaseNote): Promise<Release> {
    return new Release(this.#folder, note, this.#settings, { ...process.env, ...(await this.#environment()) })
  }

  async #environment(): Promise<Record<string, string>> {
    try {
      return parse(await readFile(deploymentFiles.environment(this.#folder), 'utf8'))
    } catch {
      return {}
    }
  }

  async #remember(note: ReleaseNote, current = this.#memory.current): Promise<void> {
    const others = this.#memory.releases.filter(({ id }) => id !== note.id)
    const known = this.#memory.releases.find(({ id }) => id === note.id)
    // A release that has served can be restored, even if it was refused later.
    const outcome = known?.outcome === 'served' ? 'served' : note.outcome
    this.#memory = {
      releases: [...others, { ...note, outcome, at: new Date().toISOString() }],
      ...(current === undefined ? {} : { current }),
    }
    await writeJson(deploymentFiles.memory(this.#folder), this.#memory)
  }

  /** Deletes releases that are too old for a rollback, and refused ones. */
  async #tidy(): Promise<void> {
    const inUse = new Set([...this.#draining].map(({ note }) => note.id))
    const served = this.#memory.releases.filter(({ outcome }) => outcome === 'served')
    const kept = new Set(served.slice(-keptReleases).map(({ id }) => id))
    const gone = this.#memory.releases.filter(({ id }) => !kept.has(id) && !inUse.has(id))
    if (gone.length === 0) return
    this.#memory = { ...this.#memory, releases: this.#memory.releases.filter((note) => !gone.includes(note)) }
    await writeJson(deploymentFiles.memory(this.#folder), this.#memory)
    for (const { id } of gone) await rm(deploymentFiles.release(this.#folder, id), { recursive: true, force: true })
  }
}

/** Local address. */
export function urlAt(host: string, port: number, path: string): string {
  const near = host === '0.0.0.0' || host === '::' ? '127.0.0.1' : host
  return `http://${near.includes(':') ? `[${near}]` : near}:${port}${path}`
}
