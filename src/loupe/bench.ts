import { shownPath } from '../kit-file/kit-file.js'
import { secretsIn } from '../protocol/secrets.js'
import { readTape } from '../tape/read.js'
import { type TapeWriter, tapeText } from '../tape/write.js'
import { commandOf } from '../target/command-of.js'
import { secretsOf } from '../target/secrets-of.js'
import { labelOf, type Target } from '../target/target.js'
import { Connection, type ConnectionOptions } from './connection.js'
import { Journal } from './journal.js'
import { TapeView } from './tape-target.js'
import type { TargetView } from './view.js'

/** The state of Loupe for the page. */
export interface BenchView {
  targets: TargetView[]
  tapes: { id: string; label: string; problem: string | undefined }[]
  /** File of the recording. */
  recordingTo: string | undefined
  /** Address of the outer frame of views; on another port than the page. */
  viewProxy: string | undefined
}

/** The command that a target would start, for the user to confirm. */
export interface Start {
  command: string
  args: readonly string[]
  cwd: string
  /** Names of additional environment variables. */
  variables: readonly string[]
}

/** The state of Loupe: targets, tapes, and the journal of events. */
export class Bench {
  readonly journal = new Journal()
  readonly connections: Connection[] = []
  readonly tapes: TapeView[] = []
  readonly #listeners = new Set<() => void>()
  readonly #recorder: TapeWriter | undefined
  readonly #options: ConnectionOptions
  readonly #toldSecrets = new Set<string>()
  #count = 0
  #isTelling = false
  /** Set when its port is open. */
  viewProxy: string | undefined

  constructor(recorder?: TapeWriter, options: ConnectionOptions = {}) {
    this.#recorder = recorder
    this.#options = {
      ...options,
      onSecrets: (secrets) => {
        for (const secret of secrets) this.#toldSecrets.add(secret)
        recorder?.addSecrets(secrets)
      },
    }
    this.journal.listen((entries) => {
      for (const { sequence: _, at, target, ...event } of entries) {
        // Events of a tape are recorded already.
        if (!target.includes('/')) recorder?.add(target, event, at)
      }
    })
  }

  get view(): BenchView {
    return {
      targets: this.connections.map(({ view }) => view),
      tapes: this.tapes.map(({ id, label, problem }) => ({ id, label, problem })),
      recordingTo: this.#recorder && shownPath(this.#recorder.file),
      viewProxy: this.viewProxy,
    }
  }

  /** Adds a target, and starts to open it. */
  add(target: Exclude<Target, { kind: 'tape' }>): Connection {
    const connection = new Connection(`t${++this.#count}`, target, this.journal, this.#changed, this.#options)
    this.connections.push(connection)
    void connection.open()
    return connection
  }

  async remove(id: string): Promise<void> {
    for (const list of [this.connections, this.tapes] as (Connection | TapeView)[][]) {
      const at = list.findIndex((item) => item.id === id)
      const [found] = at < 0 ? [] : list.splice(at, 1)
      await found?.close()
    }
    this.#changed()
  }

  /** Opens a tape; with `isLive`, follows new entries. Resolves when the existing entries are read. */
  async openTape(file: string, isLive: boolean): Promise<void> {
    const tape = this.#newTape(labelOf({ kind: 'tape', file }))
    await tape.read(file, isLive)
    this.#changed()
  }

  /**
   * Adds a tape from a text that the user uploaded. Throws a `JexoError` if it is not a tape; nothing is added then.
   */
  takeTape(label: string, text: string): void {
    const entries = readTape(label, text)
    this.#newTape(label).take(entries)
    this.#changed()
  }

  /** The whole journal as the text of a tape, with masked secrets. */
  tapeText(): string {
    return tapeText(this.journal.all, this.secrets)
  }

  /** Values that must not be written to files. */
  get secrets(): string[] {
    const given = this.connections.flatMap(({ target }) => secretsOf(target))
    return [...secretsIn(process.env), ...given, ...this.#toldSecrets]
  }

  onChange(listener: () => void): () => void {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  async close(): Promise<void> {
    await Promise.all([...this.connections, ...this.tapes].map((item) => item.close()))
    // The journal reports its last entries after this turn of the event loop.
    await new Promise((done) => setImmediate(done))
    await this.#recorder?.close()
  }

  #newTape(label: string): TapeView {
    const tape = new TapeView(`p${++this.#count}`, label, this.journal, this.#changed)
    this.tapes.push(tape)
    return tape
  }

  /** Notifies listeners once per turn, however much has changed. */
  #changed = (): void => {
    if (this.#isTelling) return
    this.#isTelling = true
    setImmediate(() => {
      this.#isTelling = false
      for (const listener of this.#listeners) listener()
    })
  }
}

/** The command that opening a target would start on this machine; undefined if there is none. */
export function startOf(target: Target): Start | undefined {
  if (target.kind === 'url' || target.kind === 'tape') return undefined
  const { command, args, cwd, env = {} } = commandOf(target)
  return {
    command,
    args,
    cwd: cwd ?? process.cwd(),
    variables: Object.keys(env).filter((name) => env[name] !== process.env[name]),
  }
}
