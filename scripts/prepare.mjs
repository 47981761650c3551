/** Installs and builds what is missing or out of date, and reports each step. */
import { spawn, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = fileURLToPath(new URL('..', import.meta.url))
const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'

/** Installs the packages that are missing. */
export function install() {
  checkNode()
  step('install', 'node_modules/.jexo-installed', ['package-lock.json'], () => {
    // Not `npm ci`: it refuses a lock file if a registry lacks optional packages of other platforms.
    run('Installing packages', npm, ['install', '--no-audit', '--no-fund', '--loglevel=error'])
  })
}

export function prepare() {
  install()
  const sources = [
    'package-lock.json',
    'tsconfig.json',
    'tsconfig.build.json',
    'scripts/vendor.mjs',
    'scripts/late-parts.mjs',
    'scripts/bundle-command.mjs',
    'src',
  ]
  step('build', 'dist/.built', sources, () => {
    rmSync(join(root, 'dist'), { recursive: true, force: true })
    // Types are checked once, with the tests: `npm run types`.
    run('Building the library', bin('tsc'), ['-p', 'tsconfig.build.json', '--noCheck'])
    run('Building in the packages that it uses', process.execPath, [join(root, 'scripts/vendor.mjs')])
    run('Compressing rarely used parts', process.execPath, [join(root, 'scripts/late-parts.mjs')])
    run('Bundling the commands', process.execPath, [join(root, 'scripts/bundle-command.mjs')])
    run('Removing what nothing reaches', process.execPath, [join(root, 'scripts/prune.mjs')])
  })
  step(
    'page',
    'dist/loupe/page/.built',
    [
      'package-lock.json',
      'src',
      'loupe/src',
      'loupe/index.html',
      'loupe/public',
      'loupe/vite.config.ts',
      'loupe/package.json',
    ],
    () => {
      run('Building the Loupe page', bin('vite'), ['build', '--logLevel', 'warn'], join(root, 'loupe'))
    },
  )
}

/** Installs the other runtimes that tests use: several versions of Node, Bun, Deno and workerd. */
export function prepareRuntimes() {
  const folder = 'test/runtimes'
  step('runtimes', `${folder}/node_modules/.jexo-installed`, [`${folder}/package-lock.json`], () => {
    run('Installing runtimes', npm, ['install', '--no-audit', '--no-fund', '--loglevel=error'], join(root, folder))
  })
}

/** Assembles the pages of the documentation, with the API reference from the doc comments. */
export function prepareDocs() {
  const inputs = [
    'README.md',
    'CHANGELOG.md',
    'docs/guide',
    'docs/reference',
    'scripts/docs',
    'scripts/docs.mjs',
    'src',
  ]
  step('docs', 'docs/.site/.built', ['package-lock.json', ...inputs], () => {
    run('Assembling the pages of the docs', process.execPath, [join(root, 'scripts/docs.mjs'), '--pages'])
  })
}

/** Builds the examples with Vite: the named ones, or all. */
export function prepareExamples(names) {
  const examples = names ?? readdirSync(join(root, 'examples'))
  for (const name of examples) {
    const folder = join(root, 'examples', name)
    const manifest = join(folder, 'package.json')
    if (!existsSync(manifest) || !JSON.parse(readFileSync(manifest, 'utf8')).scripts.build) continue
    step(
      `example ${name}`,
      `examples/${name}/dist/.built`,
      ['package-lock.json', 'src', `examples/${name}`],
      () => {
        run(`Building the example ${name}`, npm, ['run', 'build', '--silent', '--', '--logLevel', 'warn'], folder)
      },
    )
  }
}

export const bin = (name) => join(root, 'node_modules', '.bin', process.platform === 'win32' ? `${name}.cmd` : name)

/** Runs a command with its output on stderr. Exits with its exit code if it fails. */
export function run(what, command, args, cwd = root) {
  const startedAt = Date.now()
  process.stderr.write(`${what} …\n`)
  const { status, error } = spawnSync(command, args, {
    cwd,
    stdio: ['ignore', 2, 2],
    // A test may run this; the page is built for production all the same.
    env: { ...process.env, ...(command.includes('vite') || args[0] === 'run' ? { NODE_ENV: 'production' } : {}) },
    shell: process.platform === 'win32',
  })
  if (error || status !== 0) {
    process.stderr.write(`${what} failed${error ? `: ${error.message}` : ` (exit code ${status})`}\n`)
    process.exit(status || 1)
  }
  process.stderr.write(`${what}: done in ${((Date.now() - startedAt) / 1000).toFixed(1)} s\n`)
}

/** Like `run`, in parallel with others. Its output is printed when it has ended. */
export function runBeside(what, command, args) {
  const startedAt = Date.now()
  const child = spawn(command, args, {
    cwd: root,
    stdio: ['ignore', 'pipe', 'pipe'],
    shell: process.platform === 'win32',
  })
  let said = ''
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk) => (said += chunk))
  return new Promise((resolve) => {
    const end = (problem) => {
      if (said !== '') process.stderr.write(said)
      if (problem !== undefined) {
        process.stderr.write(`${what} failed (${problem})\n`)
        process.exit(1)
      }
      process.stderr.write(`${what}: done in ${((Date.now() - startedAt) / 1000).toFixed(1)} s\n`)
      resolve()
    }
    child.once('error', (error) => end(error.message))
    child.once('close', (code) => end(code === 0 ? undefined : `exit code ${code}`))
  })
}

function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number)
  if (major > 20 || (major === 20 && minor >= 19)) return
  process.stderr.write(`Jexo needs Node 20.19 or later; this is ${process.versions.node}.\n`)
  process.exit(2)
}

/** Runs a step unless the stamp of its inputs is unchanged. */
function step(name, stamp, inputs, work) {
  const file = join(root, stamp)
  const wanted = hashOf([process.versions.node, name], inputs)
  if (existsSync(file) && readFileSync(file, 'utf8') === wanted) return
  work()
  mkdirSync(join(file, '..'), { recursive: true })
  writeFileSync(file, wanted)
}

function hashOf(words, inputs) {
  const hash = createHash('sha256').update(words.join('\n'))
  for (const input of inputs) addTo(hash, join(root, input))
  return hash.digest('hex')
}

function addTo(hash, path) {
  if (!existsSync(path)) return
  if (statSync(path).isDirectory()) {
    for (const entry of readdirSync(path).sort())
      if (!['node_modules', 'dist', '.jexo'].includes(entry)) addTo(hash, join(path, entry))
  } else {
    hash.update(path.slice(root.length)).update(readFileSync(path))
  }
}
