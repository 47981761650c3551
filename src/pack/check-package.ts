import { spawn } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { messageOf } from '../errors.js'
import { connectOnNode } from '../transport/node-connect.js'
import { packErrors } from './errors.js'
import type { PackedSetting } from './pack-kit.js'
import { madeUpSettings } from './try-packed.js'

export interface CheckedPackage {
  /** The tarball that npm would publish. */
  tarball: string
  bytes: number
  tools: number
}

const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'

/**
 * Makes the tarball that `npm publish` would send, and runs its program with npx in an empty folder. Required settings
 * that are not set get a placeholder. Rejects with a `JexoError` if one of these fails.
 */
export async function checkPackage(folder: string, settings: readonly PackedSetting[]): Promise<CheckedPackage> {
  const at = resolve(folder)
  const said = await run(['pack', '--json', '--silent', '--pack-destination', at], at)
  const [{ filename, size, name }] = JSON.parse(said) as [{ filename: string; size: number; name: string }]
  const tarball = join(at, filename)
  const elsewhere = await mkdtemp(join(tmpdir(), 'jexo-npx-'))
  try {
    const link = await connectOnNode(
      {
        command: npm,
        args: ['exec', '--yes', '--offline', `--package=${tarball}`, '--', name.replace(/^.*\//, '')],
        cwd: elsewhere,
        env: { ...process.env, ...madeUpSettings(settings) },
      },
      { timeoutMs: 60_000 },
    )
    try {
      return { tarball, bytes: size, tools: (await link.tools()).length }
    } finally {
      await link.close()
    }
  } catch (error) {
    throw packErrors.packageBroken(tarball, messageOf(error))
  } finally {
    await rm(elsewhere, { recursive: true, force: true })
  }
}

function run(args: readonly string[], cwd: string): Promise<string> {
  const child = spawn(npm, [...args], { cwd, stdio: ['ignore', 'pipe', 'pipe'] })
  let said = ''
  let complaint = ''
  child.stdout.on('data', (chunk) => {
    said += chunk
  })
  child.stderr.on('data', (chunk) => {
    complaint += chunk
  })
  return new Promise((resolve, reject) => {
    child.once('error', (error) => reject(packErrors.packageBroken(cwd, error.message)))
    child.once('close', (code) =>
      code === 0 ? resolve(said) : reject(packErrors.packageBroken(cwd, complaint.trim().split('\n')[0] ?? '')),
    )
  })
}
