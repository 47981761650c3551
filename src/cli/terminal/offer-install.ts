import { spawnSync } from 'node:child_process'
import { createInterface } from 'node:readline/promises'
import { isJexoError, listOf } from '../../errors.js'
import { ownProject, withVersion } from '../../optional-packages.js'
import { say } from './output.js'

/** Packages that are needed for building and testing only. */
const forDevelopment = new Set(['esbuild', 'typescript', '@types/node', 'vite'])

/**
 * Asks the person once whether to install the packages that a command needed, and runs the command again. Returns the exit code; undefined for other errors, in non-interactive sessions, and if the user declines.
 */
export async function offerInstall(error: unknown, argv: readonly string[]): Promise<number | undefined> {
  const names = missingIn(error)
  const project = ownProject()
  const isPersonThere = process.stdin.isTTY && process.stderr.isTTY
  if (names.length === 0 || project === undefined || !isPersonThere || process.env.JEXO_INSTALLED !== undefined)
    return undefined
  const terminal = createInterface({ input: process.stdin, output: process.stderr })
  const answer = await terminal
    .question(`This needs ${listOf(names)}. Install with npm in ${project}? [Y/n] `)
    .catch(() => 'n')
  terminal.close()
  if (!/^(y|yes|)$/i.test(answer.trim())) return undefined
  const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'
  const save = names.every((name) => forDevelopment.has(name)) ? '--save-dev' : '--save'
  const { status } = spawnSync(
    npm,
    ['install', save, '--no-audit', '--no-fund', '--loglevel=error', ...names.map(withVersion)],
    {
      cwd: project,
      stdio: ['ignore', 2, 2],
      shell: process.platform === 'win32',
    },
  )
  if (status !== 0) {
    say(`npm install ended with code ${status}`)
    return 2
  }
  const again = spawnSync(process.execPath, argv.slice(1), {
    stdio: 'inherit',
    env: { ...process.env, JEXO_INSTALLED: '1' },
  })
  return again.status ?? 1
}

/** Names that npm reads as packages, and nothing else. */
function missingIn(error: unknown): string[] {
  if (!isJexoError(error) || error.code !== 'package-missing') return []
  const { packages } = error.data ?? {}
  return Array.isArray(packages)
    ? packages.filter(
        (name): name is string => typeof name === 'string' && /^(@[a-z0-9-]+\/)?[a-z0-9-]+$/.test(name),
      )
    : []
}
