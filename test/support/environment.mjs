import { AsyncLocalStorage } from 'node:async_hooks'
import { TestEnvironment } from 'jest-environment-node'
import { BrowserRunner } from './browser-runner.mjs'
import { CommandRunner } from './command-runner.mjs'
import { TypeRunner } from './type-runner.mjs'

const commands = new CommandRunner()
const browsers = new BrowserRunner()
const types = new TypeRunner()

/** Storages that a test file has used. Node looks at each of them for every promise, also after the file has ended. */
const storages = new Set()
const { run } = AsyncLocalStorage.prototype
AsyncLocalStorage.prototype.run = function (...args) {
  storages.add(this)
  return run.apply(this, args)
}

/** Node's environment, with a process for commands, a browser and a compiler that all test files of a worker share. */
export default class extends TestEnvironment {
  async setup() {
    await super.setup()
    this.global.commandRunner = commands
    this.global.browserRunner = browsers
    this.global.typeRunner = types
  }

  async teardown() {
    for (const storage of storages) storage.disable()
    storages.clear()
    await super.teardown()
  }
}
