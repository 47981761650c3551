import { AsyncLocalStorage } from 'node:async_hooks'
import { ModernFakeTimers } from '@jest/fake-timers'
import { ModuleMocker } from 'jest-mock'
import { BrowserRunner } from './browser-runner.mjs'
import { CommandRunner } from './command-runner.mjs'
import { compiledFolder } from './file-runner.mjs'
import { withSourceLines } from './source-lines.mjs'
import { TypeRunner } from './type-runner.mjs'

/** Storages that a test file has used. Node looks at each of them for every promise, also after the file has ended. */
const storages = new Set()
const { run } = AsyncLocalStorage.prototype
AsyncLocalStorage.prototype.run = function (...args) {
  storages.add(this)
  return run.apply(this, args)
}

Object.assign(globalThis, {
  commandRunner: new CommandRunner(),
  browserRunner: new BrowserRunner(),
  typeRunner: new TypeRunner(),
})

/** For all files of the worker: a module that imports `jest` is loaded once. */
const mocks = new ModuleMocker(globalThis)
let timers
const methodsOf = (object) =>
  Object.fromEntries(
    Object.getOwnPropertyNames(Object.getPrototypeOf(object))
      .filter((name) => name !== 'constructor' && typeof object[name] === 'function')
      .map((name) => [name, object[name].bind(object)]),
  )

/**
 * The worker itself, so that its test files share the loaded sources, a process for commands, a browser and a compiler.
 * Jest's own environment loads all modules again for every file, which takes longer than most tests.
 */
export default class {
  global = globalThis
  #console = globalThis.console
  #exit = process.exit
  #variables = { ...process.env }
  #folder = process.cwd()
  #outside = []

  constructor({ projectConfig }) {
    this.compiled = compiledFolder(projectConfig)
    timers ??= new ModernFakeTimers({ config: projectConfig, global: globalThis })
    globalThis.jestOfTests ??= { ...methodsOf(timers), ...methodsOf(mocks) }
    this.moduleMocker = mocks
    this.fakeTimers = null
    this.fakeTimersModern = timers
  }

  exportConditions() {
    return ['node', 'node-addons']
  }

  getVmContext() {
    return null
  }

  async setup() {
    // Jest raises the limit and looks for source maps, so that errors that tests expect take longer to create.
    Error.stackTraceLimit = 10
    Error.prepareStackTrace = undefined
  }

  /** Jest calls this for each step of a test. */
  async handleTestEvent({ name, error, test }) {
    const failures = name === 'hook_failure' ? [error] : name === 'test_done' ? test.errors.flat() : []
    for (const failure of failures) await withSourceLines(failure, this.compiled)
    // Jest does not wait here for errors outside the code of a test, such as unhandled rejections.
    if (name === 'error') this.#outside.push(withSourceLines(error, this.compiled))
    if (name === 'run_finish') await Promise.all(this.#outside)
    // What tests print is shown with the place that printed it.
    for (const printed of (name === 'run_finish' && globalThis.console.getBuffer?.()) || []) {
      const place = { stack: printed.origin }
      await withSourceLines(place, this.compiled)
      printed.origin = place.stack
    }
  }

  /** Undoes what a file may have changed for the next one. */
  async teardown() {
    // The next use enables them again.
    for (const storage of storages) storage.disable()
    storages.clear()
    timers.dispose()
    mocks.restoreAllMocks()
    globalThis.console = this.#console
    process.exit = this.#exit
    process.exitCode = undefined
    process.chdir(this.#folder)
    for (const name of Object.keys(process.env)) if (!Object.hasOwn(this.#variables, name)) delete process.env[name]
    for (const [name, value] of Object.entries(this.#variables))
      if (process.env[name] !== value) process.env[name] = value
  }
}
