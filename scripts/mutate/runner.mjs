/**
 * Runs tests for StrykerJS in its own process: loads all test files once, and then runs the tests that reach a changed
 * place for each change. Jest starts its environment and loads all modules for every change, which takes seconds. The
 * tests run on Jest's own parts (`jest-circus`, `expect`).
 */
import { register } from 'node:module'
import { join, relative } from 'node:path'
import { pathToFileURL } from 'node:url'
import { jestExpect } from '@jest/expect'
import { ModernFakeTimers } from '@jest/fake-timers'
import { declareClassPlugin, PluginKind } from '@stryker-mutator/api/plugin'
import { determineHitLimitReached, TestStatus, toMutantRunResult } from '@stryker-mutator/api/test-runner'
import * as circus from 'jest-circus'

/** Where instrumented code looks for the active change and counts what runs. */
const instrumenter = { activeMutant: undefined }
globalThis.__stryker__ = instrumenter

const unchangedTestMs = 20_000
/**
 * A test that waits for longer fails. Stryker ends the process of a change that takes longer still, such as an endless
 * loop: to start another one and load the tests there takes more time than to wait.
 */
const changedTestMs = 10_000
/** Slower tests would run for nearly every change. */
const slowTestMs = 3000

class CircusRunner {
  static inject = ['options', 'logger']
  #files
  #logger
  #config
  #tests = new Map()
  #failed = false

  constructor({ mutation }, logger) {
    this.#logger = logger
    this.#files = mutation.testFiles
    this.#config = mutation.jestConfig
  }

  capabilities() {
    return { reloadEnvironment: false }
  }

  async init() {
    // A test that failed may leave work behind; its late errors concern no other test.
    process.on('unhandledRejection', () => {})
    process.on('uncaughtException', () => {})
    const { default: config } = await import(pathToFileURL(join(process.cwd(), this.#config)))
    const names = Object.entries(config.moduleNameMapper)
      .filter(([, path]) => path.startsWith('<rootDir>'))
      .map(([pattern, path]) => [pattern, path.replace('<rootDir>', process.cwd())])
    register('../../test/support/typescript-hooks.mjs', import.meta.url, {
      data: { names, folder: join(process.cwd(), 'compiled') },
    })
    const { describe, test, it, beforeAll, beforeEach, afterAll, afterEach } = circus
    // The module that stands for `@jest/globals` exports this object.
    globalThis.jestOfTests = new ModernFakeTimers({ config: { fakeTimers: {} }, global: globalThis })
    Object.assign(globalThis, {
      describe,
      test,
      it,
      beforeAll,
      beforeEach,
      afterAll,
      afterEach,
      expect: jestExpect,
    })
    circus.addEventHandler((event) => this.#handle(event))
    for (const file of this.#files) await this.#load(file)
  }

  async dryRun({ coverageAnalysis }) {
    circus.getState().testTimeout = unchangedTestMs
    const ids = [...this.#tests.keys()]
    const loaded = this.#takeCoverage().static
    const first = { ...(await this.#run(ids, false)), ...this.#takeCoverage() }
    const second = { ...(await this.#run(ids, false)), ...this.#takeCoverage() }
    // Some need Jest itself, the built command or a server.
    const unused = [...first.tests, ...second.tests].filter(({ status }) => status === TestStatus.Failed)
    unused.push(...second.tests.filter(({ timeSpentMs }) => timeSpentMs > slowTestMs))
    const unusedIds = new Set(unused.map(({ id }) => id))
    if (unusedIds.size > 0)
      this.#logger.warn(`Not used, since they fail here or take longer than 3 s:\n${[...unusedIds].join('\n')}`)
    const used = (hits) => Object.fromEntries(Object.entries(hits).filter(([id]) => !unusedIds.has(id)))
    const perTest = used(second.perTest)
    // Code that has run before a change is active: at load, or once in a process.
    const inTests = new Set(Object.values(perTest).flatMap((hits) => Object.keys(hits)))
    const before = [loaded, first.static, ...Object.values(used(first.perTest))].flatMap((hits) =>
      Object.entries(hits),
    )
    const once = Object.fromEntries(before.filter(([id]) => !inTests.has(id)))
    // The time that Stryker allows a change depends on the time of both runs.
    const tests = first.tests
      .map((test, at) => ({ ...test, timeSpentMs: test.timeSpentMs + second.tests[at].timeSpentMs }))
      .filter(({ id }) => !unusedIds.has(id))
    return {
      status: 'complete',
      tests,
      ...(coverageAnalysis === 'off' ? {} : { mutantCoverage: { static: once, perTest } }),
    }
  }

  /** What has been reached since the last call. Instrumented code keeps the object that it found at load. */
  #takeCoverage() {
    const live = instrumenter.mutantCoverage ?? {}
    const taken = { static: live.static ?? {}, perTest: live.perTest ?? {} }
    Object.assign(live, { static: {}, perTest: {} })
    return taken
  }

  async mutantRun({ activeMutant, testFilter, disableBail, hitLimit }) {
    circus.getState().testTimeout = changedTestMs
    instrumenter.activeMutant = activeMutant.id
    instrumenter.hitLimit = hitLimit
    instrumenter.hitCount = hitLimit ? 0 : undefined
    try {
      const result = await this.#run(testFilter ?? [...this.#tests.keys()], !disableBail)
      return determineHitLimitReached(instrumenter.hitCount, hitLimit) ?? toMutantRunResult(result, disableBail)
    } finally {
      instrumenter.activeMutant = undefined
    }
  }

  /** Loads a file into a block of its own, so that its hooks concern its own tests only. */
  async #load(file) {
    const state = circus.getState()
    const root = state.rootDescribeBlock
    circus.describe(file, () => {})
    const block = root.children.at(-1)
    state.currentDescribeBlock = block
    await import(pathToFileURL(file))
    state.currentDescribeBlock = root
    const fileName = relative(process.cwd(), file)
    for (const [at, test] of testsOf(block).entries()) {
      test.mutationId = `${fileName} ${at}: ${test.name}`
      this.#tests.set(test.mutationId, { test, block, fileName })
    }
  }

  async #run(ids, bails) {
    const chosen = new Set(ids)
    const blocks = new Set(ids.map((id) => this.#tests.get(id).block))
    const state = circus.getState()
    const root = state.rootDescribeBlock
    const all = root.children
    this.#failed = false
    for (const { test } of this.#tests.values()) {
      test.mode = chosen.has(test.mutationId) ? undefined : 'skip'
      Object.assign(test, { errors: [], status: null, startedAt: null, duration: null })
    }
    state.unhandledErrors = []
    // Read by circus for every test, so tests after the first failure are skipped.
    state.testNamePattern = { test: () => !(bails && this.#failed) }
    root.children = all.filter((block) => blocks.has(block))
    try {
      await circus.run()
    } finally {
      root.children = all
    }
    return { status: 'complete', tests: ids.map((id) => this.#resultOf(id)) }
  }

  #resultOf(id) {
    const { test, fileName } = this.#tests.get(id)
    const result = { id, name: id, fileName, timeSpentMs: test.duration ?? 0 }
    if (test.status !== 'done') return { ...result, status: TestStatus.Skipped }
    if (test.errors.length === 0) return { ...result, status: TestStatus.Success }
    return { ...result, status: TestStatus.Failed, failureMessage: messageOf(test.errors[0]) }
  }

  #handle(event) {
    if (event.name === 'test_start') instrumenter.currentTestId = event.test.mutationId
    if (event.name !== 'test_done') return
    instrumenter.currentTestId = undefined
    if (event.test.errors.length > 0) this.#failed = true
  }
}

export const strykerPlugins = [declareClassPlugin(PluginKind.TestRunner, 'circus', CircusRunner)]
/** Stryker refuses options that no schema declares. */
export const strykerValidationSchema = {
  type: 'object',
  properties: {
    mutation: {
      type: 'object',
      properties: { testFiles: { type: 'array', items: { type: 'string' } }, jestConfig: { type: 'string' } },
      required: ['testFiles', 'jestConfig'],
    },
  },
}

function testsOf(block) {
  return block.children.flatMap((child) => (child.type === 'describeBlock' ? testsOf(child) : [child]))
}

function messageOf(error) {
  const [first] = Array.isArray(error) ? error : [error]
  return String(first?.message ?? first)
}
