import { TestEnvironment } from 'jest-environment-node'
import { CommandRunner } from './command-runner.mjs'

const commands = new CommandRunner()

/** Node's environment, with one process for commands that all test files of a worker share. */
export default class extends TestEnvironment {
  async setup() {
    await super.setup()
    this.global.commandRunner = commands
  }
}
