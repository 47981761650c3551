import { type ChildProcess, spawn } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { createWriteStream, existsSync, mkdirSync, renameSync, statSync, type WriteStream } from 'node:fs'
import { createServer } from 'node:net'
import { dirname, join } from 'node:path'
import { messageOf } from '../../errors.js'
import { keptLines, lastWords } from '../../transport/last-words.js'
import { checkServer } from '../check-server.js'
import { type DeploymentSettings, deploymentFiles, type ReleaseNote } from '../deployment.js'
import { shipErrors } from '../errors.js'

const longestLogBytes = 10 * 1024 * 1024

/** A running release: its process, its port, and its requests in progress. */
export class Release {
  readonly note: ReleaseNote
  readonly #folder: string
  readonly #settings: DeploymentSettings
  readonly #environment: NodeJS.ProcessEnv
  readonly #token: string | undefined
  #child: ChildProcess | undefined
  #port = 0
  #isUp = false
  #isStopping = false
  #last: string[] = []
  #waiting: (() => void)[] = []
  #pauseMs = 200
  /** Requests in progress, including streams. */
  inFlight = 0
  tools = 0

  constructor(folder: string, note: ReleaseNote, settings: DeploymentSettings, environment: NodeJS.ProcessEnv) {
    this.#folder = folder
    this.note = note
    this.#settings = settings
    // If callers sign in, a token known only to this supervisor lets it check the release.
    const signsIn = Boolean(environment.JEXO_ISSUER || environment.JEXO_TOKENS)
    const own = signsIn ? randomBytes(24).toString('base64url') : undefined
    this.#token = environment.JEXO_TOKEN || own
    this.#environment = this.#token === undefined ? environment : { ...environment, JEXO_TOKEN: this.#token }
  }

  get port(): number {
    return this.#port
  }
  get isUp(): boolean {
    return this.#isUp
  }
  /** True once it was asked to end. */
  get isStopping(): boolean {
    return this.#isStopping
  }

  /**
   * Starts it, and waits until it responds like a server for hosts. Rejects with a `JexoError` that says why it does
   * not.
   */
  async start(): Promise<void> {
    try {
      await this.#startOnce()
    } catch (error) {
      await this.stop()
      throw error
    }
  }

  /** Resolves when it is running, or after a time limit. */
  async whenUp(withinMs: number): Promise<boolean> {
    if (this.#isUp || this.#isStopping) return this.#isUp
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, withinMs)
      this.#waiting.push(() => {
        clearTimeout(timer)
        resolve()
      })
    })
    return this.#isUp
  }

  /** The process has ended and will be restarted; if it has not ended, it becomes available again. */
  lost(): void {
    this.#isUp = false
    const child = this.#child
    setTimeout(() => {
      const isAlive = child === this.#child && child?.exitCode === null && child.signalCode === null
      if (isAlive && !this.#isStopping) this.#cameUp()
    }, 1000)
  }

  /** Asks it to end after its current requests. */
  async stop(): Promise<void> {
    this.#isStopping = true
    this.#isUp = false
    const child = this.#child
    if (!child || child.exitCode !== null || child.signalCode !== null) return
    const ended = new Promise<void>((resolve) => child.once('close', () => resolve()))
    child.kill('SIGTERM')
    const timer = setTimeout(() => child.kill('SIGKILL'), 15_000)
    await ended
    clearTimeout(timer)
  }

  async #startOnce(): Promise<void> {
    this.#port = await freePort()
    const { path, publicUrl, allowedHosts = [], isOpenToAnyone, readyMs } = this.#settings
    const flags = [
      ...['--http', `127.0.0.1:${this.#port}`, '--path', path],
      ...(publicUrl === undefined ? [] : ['--public-url', publicUrl]),
      ...allowedHosts.flatMap((name) => ['--allowed-host', name]),
      ...(isOpenToAnyone ? ['--open-to-anyone'] : []),
    ]
    const file = join(deploymentFiles.release(this.#folder, this.note.id), this.note.file)
    const child = spawn(process.execPath, [file, ...flags], {
      cwd: dirname(file),
      env: { JEXO_LOG: 'json', ...this.#environment },
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    this.#child = child
    this.#keepLog(child)
    let hasServed = false
    const ended = new Promise<never>((_, reject) => {
      child.once('error', (error) => reject(shipErrors.releaseFailed(this.note.id, error.message)))
      child.once('close', (code, signal) => {
        this.#wentDown(hasServed)
        reject(
          shipErrors.releaseFailed(
            this.note.id,
            `it ended ${signal ? `by ${signal}` : `with code ${code}`}${this.#said}`,
          ),
        )
      })
    })
    ended.catch(() => {})
    await Promise.race([this.#ready(readyMs), ended])
    hasServed = true
    this.#cameUp()
  }

  #cameUp(): void {
    this.#isUp = true
    this.#pauseMs = 200
    for (const wake of this.#waiting.splice(0)) wake()
  }

  /** Ready means that it says so, and then answers a request. */
  async #ready(withinMs: number): Promise<void> {
    const endsAt = Date.now() + withinMs
    const late = () => shipErrors.releaseFailed(this.note.id, `it is not ready after ${withinMs} ms${this.#said}`)
    for (;;) {
      const response = await fetch(`http://127.0.0.1:${this.#port}/health/ready`, {
        signal: AbortSignal.timeout(2000),
      }).catch(() => undefined)
      if (response?.ok) break
      if (Date.now() > endsAt || this.#isStopping) throw late()
      await new Promise((resolve) => setTimeout(resolve, 50))
    }
    try {
      const url = `http://127.0.0.1:${this.#port}${this.#settings.path}`
      this.tools = (await checkServer(url, this.#token, Math.max(1000, endsAt - Date.now()))).tools
    } catch (error) {
      throw shipErrors.releaseFailed(this.note.id, `it is up and does not respond: ${messageOf(error)}`)
    }
  }

  get #said(): string {
    return lastWords(this.#last)
  }

  /** Restarts a release that ends unexpectedly. */
  #wentDown(hasServed: boolean): void {
    this.#isUp = false
    if (this.#isStopping || !hasServed) return
    const again = () => {
      if (this.#isStopping) return
      this.#startOnce().catch(() => {
        this.#pauseMs = Math.min(this.#pauseMs * 2, 10_000)
        if (!this.#isStopping) setTimeout(again, this.#pauseMs)
      })
    }
    setTimeout(again, this.#pauseMs)
  }

  #keepLog(child: ChildProcess): void {
    const file = deploymentFiles.log(this.#folder, this.note.id)
    mkdirSync(dirname(file), { recursive: true })
    let log: WriteStream | undefined
    let bytes = existsSync(file) ? statSync(file).size : 0
    const write = (chunk: Buffer) => {
      if (bytes > longestLogBytes) {
        log?.end()
        log = undefined
        renameSync(file, `${file}.1`)
        bytes = 0
      }
      log ??= createWriteStream(file, { flags: 'a', mode: 0o600 })
      bytes += chunk.length
      log.write(chunk)
      const lines = String(chunk).split('\n').filter(Boolean).map(readable)
      this.#last = [...this.#last, ...lines].slice(-keptLines)
    }
    child.stdout?.on('data', write)
    child.stderr?.on('data', write)
    child.once('close', () => log?.end())
  }
}

/** The message of a line in a JSON log. */
function readable(line: string): string {
  try {
    const { msg } = JSON.parse(line) as { msg?: unknown }
    return typeof msg === 'string' ? msg : line
  } catch {
    return line.slice(0, 500)
  }
}

function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const server = createServer()
    server.once('error', reject)
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number }
      server.close(() => resolve(port))
    })
  })
}
