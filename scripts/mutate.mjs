/**
 * `npm run mutate -- <folder>`: changes `src/<folder>` in small ways, one at a time, and reports the changes that no
 * test notices. A folder is a path below `src/`, such as `protocol` or `wrap/curl`; of a wrap, the planning is changed:
 * `plan.ts` and the files that it imports. `npm run mutate -- protocol src/protocol/batch.ts` takes one file. Not part
 * of `npm test`: a folder takes 1 to 10 minutes.
 */
import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { bin, install, root } from './prepare.mjs'

/** The tests of a folder, and those of dependent folders that use it; none that starts a browser. Tests that need the built command are not used. */
const testsOf = {
  protocol: [
    'protocol',
    'engine',
    'link',
    'transport/http',
    'transport/line-splitter',
    'tape/tape',
    'view/author',
    'view/frame',
    'hostile/secrets',
    'hostile/parsers',
  ],
  kit: [
    'kit',
    'engine',
    'layers/mechanism',
    'view/author',
    'view/frame',
    'access/access',
    'hostile/schemas',
    'hostile/errors',
  ],
  engine: [
    'engine',
    'tasks',
    'telemetry/telemetry',
    'transport',
    'layers',
    'access/access',
    'kit/refresh',
    'view/author',
    'conformance/peers',
  ],
  link: ['link', 'engine/asking', 'tasks/tasks', 'conformance/peers'],
  'wrap/openapi': ['wrap/openapi-plans', 'wrap/openapi', 'wrap/exact/rest', 'wrap/exact/bodies'],
  'wrap/http-api': [
    'wrap/requests',
    'wrap/rest-requests',
    'wrap/exact/bodies',
    'wrap/openapi',
    'wrap/curl',
    'wrap/choose',
    'hostile/rest',
  ],
  'wrap/naming': ['wrap/plans', 'wrap/openapi', 'wrap/curl', 'wrap/graphql', 'wrap/choose'],
  'wrap/curl': ['wrap/curl-plans', 'wrap/curl', 'wrap/exact/curl', 'wrap/exact/recordings', 'hostile/generated'],
  'wrap/graphql': ['wrap/graphql-plans', 'wrap/graphql', 'wrap/exact/graphql', 'hostile/graphql'],
  'wrap/module': ['wrap/module-plans', 'wrap/module', 'wrap/exact/module', 'wrap/exact/functions'],
  'wrap/sql': ['wrap/sql-plans', 'wrap/sql-words'],
  'wrap/folder': ['wrap/plans', 'wrap/folder', 'wrap/exact/folder', 'hostile/files'],
  'wrap/feed': ['wrap/plans', 'wrap/feed', 'wrap/exact/feed'],
  'wrap/server': ['wrap/server'],
  'wrap/command': ['wrap/plans', 'wrap/command'],
  'wrap/process': ['wrap/process'],
}
/** What plans of APIs have in common; that folder has no plan of its own. */
const common = ['choose', 'credentials', 'files', 'own-credential', 'plain-text', 'serialize']
/** Folders whose changed tests mostly wait for something that does not come. */
const waiting = new Set(['protocol', 'engine', 'link', 'wrap/server', 'wrap/feed', 'wrap/process'])
const wanted = 85

const [, , folder = '', ...files] = process.argv
if (!Object.hasOwn(testsOf, folder)) {
  process.stderr.write(`usage: npm run mutate -- <folder> [file...]\nfolders: ${Object.keys(testsOf).join(', ')}\n`)
  process.exit(2)
}
install()
const work = mkdtempSync(join(tmpdir(), 'jexo-mutate-'))
const config = join(work, 'stryker.json')
const reports = join(root, '.jexo/mutate', folder.replace('/', '-'))
writeFileSync(
  config,
  JSON.stringify({
    packageManager: 'npm',
    plugins: [join(root, 'scripts/mutate/runner.mjs')],
    testRunner: 'circus',
    mutation: { testFiles: testsOf[folder].flatMap(testFiles), jestConfig: 'jest.config.mjs' },
    coverageAnalysis: 'perTest',
    mutate: files.length > 0 ? files : changedFiles(),
    // Tests do not have to check texts, or the order of alternatives in patterns.
    mutator: { excludedMutations: ['StringLiteral', 'Regex'] },
    ignoreStatic: true,
    concurrency: availableParallelism() * (waiting.has(folder) ? 6 : 1),
    timeoutFactor: 0.75,
    reporters: ['clear-text', 'progress-append-only', 'html', 'json'],
    clearTextReporter: { allowColor: false, logTests: false, reportTests: false },
    htmlReporter: { fileName: `${reports}.html` },
    jsonReporter: { fileName: `${reports}.json` },
    thresholds: { high: wanted, low: wanted, break: wanted },
    tempDirName: join(work, 'sandbox'),
    timeoutMS: waiting.has(folder) ? 25_000 : 3000,
    ignorePatterns: ['dist', 'docs', '.jexo', 'examples/*/dist', 'perf'],
    disableTypeChecks: false,
    checkers: [],
  }),
)
const { status } = spawnSync(bin('stryker'), ['run', config], { cwd: root, stdio: 'inherit' })
rmSync(work, { recursive: true, force: true, maxRetries: 3 })
process.exit(status ?? 1)

/** The files to change, as patterns relative to the root. */
function changedFiles() {
  const inFolder = (name) => `src/${folder}/${name}.ts`
  if (folder === 'wrap/http-api') return common.map(inFolder)
  const generated = '!src/kit/metaschema.ts'
  if (!existsSync(join(root, inFolder('plan')))) return [`src/${folder}/**/*.ts`, generated]
  const names = new Set(['plan'])
  for (const name of names) {
    const imports = readFileSync(join(root, inFolder(name)), 'utf8').matchAll(
      /^import (?!type)[^']*'\.\/([\w-]+)\.js'/gm,
    )
    for (const [, imported] of imports) names.add(imported)
  }
  return [...names].map(inFolder)
}

/** Test files below a name of `testsOf`, relative to the root. */
function testFiles(name) {
  const folder = join(root, 'test', name)
  if (!existsSync(folder)) return [`test/${name}.test.ts`]
  return readdirSync(folder, { recursive: true })
    .filter((file) => file.endsWith('.test.ts'))
    .map((file) => `test/${name}/${file}`)
}
