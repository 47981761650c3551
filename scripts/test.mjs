/**
 * `npm test`: installs what is missing, builds, lints, checks types, runs all tests, and prints how many passed and
 * what they cost. `--fast` runs only the tests of the core: no browser, no database, no other server. Other arguments
 * are passed to Jest.
 */
import { spawn, spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join, relative } from 'node:path'
import { bin, prepare, prepareDocs, prepareExamples, prepareRuntimes, root, run, runBeside } from './prepare.mjs'
import { watchSpeed } from './speed.mjs'

/** The headless build of Chromium starts fewer processes, which is a quarter less CPU time for the tests of pages. */
const headlessBrowser = '/usr/bin/chromium-headless-shell'
const browsers = [headlessBrowser, '/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome']

const [, , ...words] = process.argv
const startedAt = performance.now()
let hasPackageLists = false
/** Share of CPU time withheld by the system above which failed time limits are checked again. */
const mostWithheld = 0.2
const isFast = words.includes('--fast')
/** Tests that need only Node and take seconds. */
const fast =
  'test/architecture|test/(engine|host|kit|link|protocol|score|serve|tape|testing|transport)/|test/wrap/(curl|folder|rest-requests)|test/hostile/(generated|graphql|rest|schemas|secrets)'

prepare()
if (isFast) process.exit(await runJest([fast, ...words.filter((word) => word !== '--fast')]))
prepareExamples()
prepareDocs()
prepareRuntimes()
const browser = findBrowser()
const nginx = find('proxy', 'nginx', 'JEXO_NGINX', ['/usr/sbin/nginx'], 'nginx-light')
const curl = find('client to compare with', 'curl', 'JEXO_CURL', ['/usr/bin/curl'], 'curl')
const postgres = find('database', 'postgres', 'JEXO_POSTGRES', postgresPlaces(), 'postgresql')
// Debian has moved the program that initializes a database between packages.
find(
  'database',
  'my_print_defaults',
  'JEXO_MARIADB_DEFAULTS',
  ['/usr/bin/my_print_defaults'],
  'mariadb-client-core',
)
const mariadb = find('database', 'mariadbd', 'JEXO_MARIADB', ['/usr/sbin/mariadbd'], 'mariadb-server-core')
const sshd = find('ssh server', 'sshd', 'JEXO_SSHD', ['/usr/sbin/sshd'], 'openssh-server')
find('ssh client', 'ssh', 'JEXO_SSH_CLIENT', ['/usr/bin/ssh'], 'openssh-client')
find('way to end a process by its command line', 'pkill', 'JEXO_PKILL', ['/usr/bin/pkill'], 'procps')
find('reader of JSON in shell', 'jq', 'JEXO_JQ', ['/usr/bin/jq', '/usr/local/bin/jq'], 'jq')
find('Python', 'python3', 'JEXO_PYTHON', ['/usr/bin/python3', '/usr/local/bin/python3'], 'python3')
const systemd = find(
  'check of service units',
  'systemd-analyze',
  'JEXO_SYSTEMD_ANALYZE',
  ['/usr/bin/systemd-analyze'],
  'systemd',
)
const buildah = find('builder of images', 'buildah', 'JEXO_BUILDAH', ['/usr/bin/buildah'], 'buildah')
const glewlwyd = find('authorization server', 'glewlwyd', 'JEXO_GLEWLWYD', ['/usr/bin/glewlwyd'], 'glewlwyd')
const redis = find('store', 'redis-server', 'JEXO_REDIS', ['/usr/bin/redis-server'], 'redis-server')
const busybox = find('shell for images', 'busybox', 'JEXO_BUSYBOX', ['/bin/busybox'], 'busybox-static')
await Promise.all([
  runBeside('Linting', bin('biome'), ['check', '--error-on-warnings', '.']),
  runBeside('Checking types', bin('tsc'), ['-p', 'tsconfig.json']),
  runBeside('Checking types of the page', bin('tsc'), ['-p', 'loupe/tsconfig.json']),
  runBeside('Checking types of the examples', bin('tsc'), ['-p', 'examples/tsconfig.json']),
])
const programs = {
  JEXO_BROWSER: browser,
  JEXO_NGINX: nginx,
  JEXO_CURL: curl,
  JEXO_POSTGRES: postgres,
  JEXO_MARIADB: mariadb,
  JEXO_SSHD: sshd,
  JEXO_SYSTEMD_ANALYZE: systemd,
  JEXO_BUILDAH: buildah,
  JEXO_BUSYBOX: busybox,
  JEXO_GLEWLWYD: glewlwyd,
  JEXO_REDIS: redis,
}
process.exit(await runJest(words, programs))

function findBrowser() {
  if (!process.env.JEXO_BROWSER && !existsSync(headlessBrowser)) installPackage('chromium-headless-shell')
  return find('browser', 'Chromium or Chrome', 'JEXO_BROWSER', browsers, 'chromium')
}

/** Debian installs servers by version; returns the newest. */
function postgresPlaces() {
  return Array.from({ length: 15 }, (_, at) => `/usr/lib/postgresql/${26 - at}/bin/postgres`)
}

/** A program that tests need: named by a variable, or at Debian's place; installed if this process may do so. */
function find(use, what, variable, places, debianPackage) {
  const found = () => [process.env[variable], ...places].find((path) => path && existsSync(path))
  if (!found()) installPackage(debianPackage)
  if (found()) return found()
  process.stderr.write(`The tests need a ${use}: set ${variable} to the path of ${what}.\n`)
  process.exit(2)
}

/** Installs a Debian package if this process may do so and the package exists. */
function installPackage(name) {
  if (process.getuid?.() !== 0 || !existsSync('/usr/bin/apt-get')) return
  if (!hasPackageLists) run('Updating the package lists', 'apt-get', ['update', '-qq'])
  hasPackageLists = true
  if (spawnSync('apt-cache', ['show', name], { stdio: 'ignore' }).status !== 0) return
  run(`Installing ${name}`, 'apt-get', ['install', '-y', '-qq', '--no-install-recommends', name])
}

async function runJest(args, programs = {}) {
  // The folder of test files is removed at the end. Servers that run as other users write to it as well.
  const folder = mkdtempSync(join(tmpdir(), 'jexo-tests-'))
  chmodSync(folder, 0o1777)
  const cpuBeforeMs = cpuOfChildrenMs()
  const timesBefore = cpuTimes()
  const speed = watchSpeed()
  const results = await jest(folder, [`--maxWorkers=${availableParallelism()}`, ...args], programs)
  if (results === undefined) {
    process.stderr.write('Jest ended without a result.\n')
    return 1
  }
  const cpuMs = cpuOfChildrenMs() - cpuBeforeMs
  const speedShare = speed()
  const isWithheld = withheldShare(timesBefore, cpuTimes()) > mostWithheld
  const again = isWithheld ? await triedAlone(folder, results, programs) : []
  printCost(results, cpuMs, speedShare)
  rmSync(folder, { recursive: true, force: true, maxRetries: 3 })
  const counts = results.map((result) => countsOf(again.find(({ name }) => name === result.name) ?? result))
  const passed = counts.reduce((sum, count) => sum + count.passed, 0)
  const failed = counts.reduce((sum, count) => sum + count.failed, 0)
  process.stdout.write(`${passed} passed, ${failed} failed\n`)
  return failed === 0 && passed > 0 ? 0 : 1
}

/** Runs Jest and returns the result of each file; undefined if it ends without a report. */
async function jest(folder, args, programs) {
  const report = join(folder, 'report.json')
  rmSync(report, { force: true })
  // `--forceExit`: a failed test may leave a server open, which Jest would wait for.
  const flags = [
    // Jest creates many short-lived objects. The default size, 16 MB, promotes many of them to the old generation.
    '--max-semi-space-size=64',
    join(root, 'node_modules/jest/bin/jest.js'),
    '--forceExit',
  ]
  const child = spawn(process.execPath, [...flags, '--json', `--outputFile=${report}`, ...args], {
    cwd: root,
    stdio: ['ignore', 2, 2],
    // Several tests start commands at once, so kits load and servers respond slowly.
    env: {
      JEXO_LOAD_TIMEOUT_MS: '120000',
      JEXO_TIMEOUT_MS: '120000',
      // esbuild and Vite start for each pack: less garbage collection in Go for more memory.
      GOGC: '400',
      ...process.env,
      // Each start of Node reads these certificates, which takes longer than the start. No test leaves this machine.
      NODE_EXTRA_CA_CERTS: undefined,
      TMPDIR: folder,
      // Test files share here what takes long to create, such as an empty database.
      JEXO_RUN_FOLDER: folder,
      ...programs,
    },
  })
  await new Promise((ended) => child.once('close', ended))
  return existsSync(report) ? JSON.parse(readFileSync(report, 'utf8')).testResults : undefined
}

/**
 * Runs failed files again, one at a time, after the system has withheld CPU time from this machine: time limits of
 * servers and browsers say nothing then. On a machine of its own, a failed test fails the run.
 */
async function triedAlone(folder, results, programs) {
  const failed = results.filter((result) => countsOf(result).failed > 0).map(({ name }) => name)
  if (failed.length === 0 || failed.length > 6) return []
  const names = failed.map((name) => relative(root, name)).join(', ')
  process.stderr.write(`The system withheld CPU time from this machine. Running again, one at a time: ${names}\n`)
  return (await jest(folder, ['--runInBand', '--runTestsByPath', ...failed], programs)) ?? []
}

/** Times of all processors in ticks, from the system; undefined if it does not report them. */
function cpuTimes() {
  try {
    const [, ...ticks] = readFileSync('/proc/stat', 'utf8').split('\n', 1)[0].split(/\s+/)
    const [user, nice, system, , , irq, softIrq, withheld] = ticks.map(Number)
    return { used: user + nice + system + irq + softIrq, withheld }
  } catch {
    return undefined
  }
}

/** Share of the wanted CPU time that the hypervisor gave to other machines, 0 to 1. */
function withheldShare(before, after) {
  if (!before || !after) return 0
  const withheld = after.withheld - before.withheld
  return withheld / Math.max(1, after.used - before.used + withheld)
}

/** Passed and failed tests of a file. A file that does not load counts as one failure. */
function countsOf({ status, assertionResults }) {
  const having = (wanted) => assertionResults.filter((test) => test.status === wanted).length
  const failed = having('failed')
  return { passed: having('passed'), failed: status === 'failed' && failed === 0 ? 1 : failed }
}

/** Prints the cost of the run and the budget: Jest 7 minutes of CPU, the whole command on a fresh clone 12. */
function printCost(results, cpuMs, speedShare) {
  const dearest = results
    .map(({ name, startTime, endTime }) => [relative(root, name), (endTime - startTime) / 1000])
    .sort(([, one], [, other]) => other - one)
    .slice(0, 10)
  const lines = dearest.map(([name, seconds]) => `  ${seconds.toFixed(1).padStart(6)} s  ${name}`)
  const minutes = (ms) => (ms / 60_000).toFixed(1)
  const atFullSpeed =
    speedShare === undefined
      ? ''
      : `about ${minutes(cpuMs * speedShare)} min at the full speed of the processor, of which it had ${Math.round(speedShare * 100)} %; `
  const cpu = cpuMs > 0 ? `${minutes(cpuMs)} min of CPU (budget 7); ${atFullSpeed}` : ''
  const allMs = performance.now() - startedAt
  process.stderr.write(
    `Jest: ${cpu}the whole command ${minutes(allMs)} min (budget 12). Longest:\n${lines.join('\n')}\n`,
  )
}

/** CPU time of all ended child processes and their children, if the system reports it; else 0. */
function cpuOfChildrenMs() {
  try {
    const fields = readFileSync('/proc/self/stat', 'utf8')
      .replace(/^.*\) /, '')
      .split(' ')
    // In ticks of 10 ms: fields 16 and 17 of the line.
    return (Number(fields[13]) + Number(fields[14])) * 10
  } catch {
    return 0
  }
}
