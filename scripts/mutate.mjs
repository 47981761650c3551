/**
 * `npm run mutate -- <folder>`: changes `src/<folder>` in small ways, one at a time, and reports the changes that no
 * test notices. A folder is a path below `src/`, such as `protocol` or `wrap/curl`; `npm run mutate -- protocol
 * src/protocol/cursor.ts` takes one file of it. Not part of `npm test`: it takes minutes to an hour.
 */
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { bin, prepare, root } from './prepare.mjs'

/** The tests of a folder, and those of dependent folders that use it; none that starts a browser or another server. */
const testsOf = {
  protocol: ['protocol', 'engine', 'transport/http', 'transport/line-splitter'],
  kit: ['kit', 'engine', 'hostile/schemas', 'hostile/errors'],
  engine: ['engine', 'transport', 'conformance/peers'],
  link: ['link', 'engine', 'conformance/peers', 'hostile/peers'],
  'wrap/openapi': ['wrap/openapi', 'wrap/rest-requests', 'hostile/rest'],
  'wrap/http-api': ['wrap/rest-requests', 'wrap/openapi', 'hostile/rest'],
  'wrap/curl': ['wrap/curl', 'hostile/generated'],
  'wrap/graphql': ['wrap/graphql', 'hostile/graphql'],
  'wrap/module': ['wrap/module'],
  'wrap/sql': ['wrap/sql', 'hostile/sql'],
  'wrap/folder': ['wrap/folder', 'hostile/files'],
  'wrap/feed': ['wrap/feed'],
  'wrap/server': ['wrap/server'],
  'wrap/command': ['wrap/command'],
  'wrap/process': ['wrap/process'],
}
const wanted = 85

const [, , folder = '', ...files] = process.argv
if (!Object.hasOwn(testsOf, folder)) {
  process.stderr.write(`usage: npm run mutate -- <folder> [file...]\nfolders: ${Object.keys(testsOf).join(', ')}\n`)
  process.exit(2)
}
prepare()
const work = mkdtempSync(join(tmpdir(), 'jexo-mutate-'))
const config = join(work, 'stryker.json')
const tests = testsOf[folder].map(
  (name) => `<rootDir>/test/${name}${existsSync(join(root, 'test', name)) ? '/**/*' : ''}.test.ts`,
)
writeFileSync(
  config,
  JSON.stringify({
    packageManager: 'npm',
    plugins: ['@stryker-mutator/jest-runner'],
    testRunner: 'jest',
    testRunnerNodeArgs: ['--experimental-vm-modules', '--disable-warning=ExperimentalWarning'],
    jest: { configFile: 'jest.config.mjs', config: { testMatch: tests }, enableFindRelatedTests: false },
    coverageAnalysis: 'perTest',
    mutate: files.length > 0 ? files : [`src/${folder}/**/*.ts`],
    // Tests do not have to check texts, or the order of alternatives in patterns.
    mutator: { excludedMutations: ['StringLiteral', 'Regex'] },
    ignoreStatic: true,
    reporters: ['clear-text', 'progress-append-only', 'html', 'json'],
    clearTextReporter: { allowColor: false, logTests: false, reportTests: false },
    htmlReporter: { fileName: join(root, '.jexo/mutate', `${folder.replace('/', '-')}.html`) },
    jsonReporter: { fileName: join(root, '.jexo/mutate', `${folder.replace('/', '-')}.json`) },
    thresholds: { high: wanted, low: wanted, break: wanted },
    tempDirName: join(work, 'sandbox'),
    timeoutMS: 15_000,
    ignorePatterns: ['dist', 'docs', '.jexo', 'examples/*/dist', 'perf'],
    disableTypeChecks: false,
    checkers: [],
  }),
)
const { status } = spawnSync(bin('stryker'), ['run', config], { cwd: root, stdio: 'inherit' })
rmSync(work, { recursive: true, force: true, maxRetries: 3 })
process.exit(status ?? 1)
