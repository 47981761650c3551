/** `npm test`: sets up what is missing, builds, lints, checks types, runs all of Jest, and says how many passed. */
import { spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { bin, prepare, prepareExamples, root, run, runBeside } from './prepare.mjs'

const browsers = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome']

prepare()
prepareExamples()
const browser = findBrowser()
const nginx = find('proxy', 'nginx', 'JEXO_NGINX', ['/usr/sbin/nginx'], 'nginx-light')
const curl = find('client to compare with', 'curl', 'JEXO_CURL', ['/usr/bin/curl'], 'curl')
const postgres = find('database', 'postgres', 'JEXO_POSTGRES', postgresPlaces(), 'postgresql')
// What sets a database up has moved between Debian's packages.
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
const systemd = find(
  'check of service units',
  'systemd-analyze',
  'JEXO_SYSTEMD_ANALYZE',
  ['/usr/bin/systemd-analyze'],
  'systemd',
)
await Promise.all([
  runBeside('Linting', bin('biome'), ['check', '--error-on-warnings', '.']),
  runBeside('Checking types', bin('tsc'), ['-p', 'tsconfig.json']),
  runBeside('Checking types of the page', bin('tsc'), ['-p', 'loupe/tsconfig.json']),
  runBeside('Checking types of the examples', bin('tsc'), ['-p', 'examples/tsconfig.json']),
])
process.exit(runJest(process.argv.slice(2)))

function findBrowser() {
  return find('browser', 'Chromium or Chrome', 'JEXO_BROWSER', browsers, 'chromium')
}

/** Debian has its servers by version; the newest that is there. */
function postgresPlaces() {
  return Array.from({ length: 15 }, (_, at) => `/usr/lib/postgresql/${26 - at}/bin/postgres`)
}

/** A program that tests need: what the variable names, or where Debian puts it, installed if we may. */
function find(use, what, variable, places, debianPackage) {
  const found = () => [process.env[variable], ...places].find((path) => path && existsSync(path))
  if (!found() && process.getuid?.() === 0 && existsSync('/usr/bin/apt-get')) {
    run('Updating the package lists', 'apt-get', ['update', '-qq'])
    run(`Installing ${debianPackage}`, 'apt-get', [
      'install',
      '-y',
      '-qq',
      '--no-install-recommends',
      debianPackage,
    ])
  }
  if (found()) return found()
  process.stderr.write(`The tests need a ${use}: set ${variable} to the path of ${what}.\n`)
  process.exit(2)
}

function runJest(args) {
  // What tests leave behind goes with it. Servers that run as other users write into it too, as into any folder for such things.
  const folder = mkdtempSync(join(tmpdir(), 'jexo-tests-'))
  chmodSync(folder, 0o1777)
  const report = join(folder, 'report.json')
  const jest = join(root, 'node_modules/jest/bin/jest.js')
  const flags = ['--experimental-vm-modules', '--disable-warning=ExperimentalWarning', jest]
  const { status } = spawnSync(process.execPath, [...flags, '--json', `--outputFile=${report}`, ...args], {
    cwd: root,
    stdio: ['ignore', 2, 2],
    env: {
      ...process.env,
      TMPDIR: folder,
      JEXO_BROWSER: browser,
      JEXO_NGINX: nginx,
      JEXO_CURL: curl,
      JEXO_POSTGRES: postgres,
      JEXO_MARIADB: mariadb,
      JEXO_SSHD: sshd,
      JEXO_SYSTEMD_ANALYZE: systemd,
    },
  })
  if (!existsSync(report)) {
    process.stderr.write('Jest ended without a result.\n')
    return status || 1
  }
  const { numPassedTests, numFailedTests, numFailedTestSuites, success } = JSON.parse(readFileSync(report, 'utf8'))
  rmSync(folder, { recursive: true, force: true, maxRetries: 3 })
  // A suite that does not even load has no test to count, and has failed all the same.
  const failed = Math.max(numFailedTests, numFailedTestSuites > 0 && numFailedTests === 0 ? numFailedTestSuites : 0)
  process.stdout.write(`${numPassedTests} passed, ${failed} failed\n`)
  return success && numPassedTests > 0 ? 0 : 1
}
