/**
 * Runs commands one after the other in a process that all test files of a Jest worker share, since starting Node and
 * loading Jexo takes longer than most commands.
 */
import { fork } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { statSync } from 'node:fs'
import { join, resolve } from 'node:path'

/** Commands after which the process is replaced, since kits leave timers and sockets behind. */
const commandsPerProcess = 120

export class CommandRunner {
  #host
  #count = 0
  #queue = Promise.resolve()
  /** State of the files of code that the process may have loaded. */
  #known = new Map()

  run(args, cwd, env) {
    const ran = this.#queue.then(() => this.#run(args, cwd, env))
    this.#queue = ran.catch(() => {})
    return ran
  }

  end() {
    this.#host?.kill('SIGKILL')
    this.#host = undefined
    this.#known.clear()
    this.#count = 0
  }

  #run(args, cwd, env) {
    const files = args.map((word) => fileAt(word, cwd))
    // A file that was loaded and has changed since would not be loaded again.
    const hasChanged = files.some(({ file, state }) => this.#known.has(file) && this.#known.get(file) !== state)
    if (hasChanged || !this.#host?.connected || this.#count >= commandsPerProcess) this.end()
    for (const { file, state } of files) if (state !== undefined) this.#known.set(file, state)
    this.#count++
    this.#host ??= start(env)
    const child = this.#host
    const mark = `\u0000${randomUUID()}\u0000`
    const output = { stdout: '', stderr: '' }
    return new Promise((done, reject) => {
      let code
      const finish = (ran) => {
        for (const stream of [child.stdout, child.stderr]) stream.removeAllListeners('data')
        for (const event of ['message', 'error', 'close']) child.removeAllListeners(event)
        setWaiting(child, false)
        done(ran)
      }
      const check = () => {
        if (code === undefined || !output.stdout.endsWith(mark) || !output.stderr.endsWith(mark)) return
        finish({ code, stdout: output.stdout.slice(0, -mark.length), stderr: output.stderr.slice(0, -mark.length) })
      }
      for (const name of ['stdout', 'stderr'])
        child[name].on('data', (chunk) => {
          output[name] += chunk
          check()
        })
      child.once('message', (message) => {
        code = message.code
        check()
      })
      child.once('error', reject)
      child.once('close', (ended) => {
        this.#host = undefined
        finish({ code: ended, ...output })
      })
      setWaiting(child, true)
      child.send({ args, mark, cwd, env })
    })
  }
}

function start(env) {
  const child = fork(join(import.meta.dirname, 'command-host.mjs'), [], {
    silent: true,
    env,
    execArgv: ['--max-semi-space-size=64'],
  })
  for (const stream of [child.stdout, child.stderr]) stream.setEncoding('utf8')
  return child
}

/** Only a running command keeps the Jest process alive. */
function setWaiting(child, isWaiting) {
  const change = isWaiting ? 'ref' : 'unref'
  for (const handle of [child, child.channel, child.stdout, child.stderr]) handle?.[change]?.()
}

/** The file that a word of a command names, with its state; undefined if it is not code, which alone stays loaded. */
function fileAt(word, cwd) {
  const file = resolve(cwd, word)
  if (!/\.[cm]?[jt]sx?$/.test(file)) return { file, state: undefined }
  try {
    const found = statSync(file)
    return { file, state: found.isFile() ? `${found.mtimeMs} ${found.size}` : undefined }
  } catch {
    return { file, state: undefined }
  }
}
