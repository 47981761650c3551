import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { isJexoError, messageOf } from '../errors.js'
import { readCatalogue } from '../link/catalogue.js'
import { connectOnNode } from '../transport/node-connect.js'
import { packErrors } from './errors.js'
import type { Packed, PackedSetting } from './pack-kit.js'

/** The number of parts that a packed file offered in a trial run. */
export interface TriedPack {
  tools: number
  resources: number
  templates: number
  prompts: number
}

/** Time limit for the start and for a response. */
const limitMs = 30_000

/**
 * Starts a packed kit in an empty folder, as on a machine with only Node, and lists its parts. Required settings that
 * are not set get a placeholder. Rejects with a `JexoError` that says why it does not run.
 *
 * @example await tryPacked(await packKit('apiary.kit.ts')) // { tools: 6, resources: 1, templates: 1, prompts: 1 }
 */
export async function tryPacked({ fileName, code, settings }: Packed): Promise<TriedPack> {
  const folder = await mkdtemp(join(tmpdir(), 'jexo-try-'))
  const [at, empty] = [join(folder, 'packed'), join(folder, 'empty')]
  const madeUp = madeUpSettings(settings)
  try {
    for (const made of [at, empty]) await mkdir(made)
    await writeFile(join(at, fileName), code)
    const link = await connectOnNode(
      {
        command: process.execPath,
        args: [join(at, fileName)],
        cwd: empty,
        env: { ...process.env, NODE_PATH: '', NODE_OPTIONS: '', TMPDIR: folder, ...madeUp },
      },
      { timeoutMs: limitMs, views: true },
    )
    try {
      const { tools, resources, templates, prompts } = await readCatalogue(link)
      return {
        tools: tools.length,
        resources: resources.length,
        templates: templates.length,
        prompts: prompts.length,
      }
    } finally {
      await link.close()
    }
  } catch (error) {
    throw packErrors.packSilent(reasonOf(error, folder), Object.keys(madeUp))
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

/** Placeholder values for required settings that are not set. */
export function madeUpSettings(settings: readonly PackedSetting[]): Record<string, string> {
  const missing = settings.filter(({ isNeeded, name }) => isNeeded && !process.env[name])
  return Object.fromEntries(missing.map(({ name }) => [name, 'to be set']))
}

/** The folder of the trial no longer exists when this is read. */
function reasonOf(error: unknown, folder: string): string {
  const text = isJexoError(error) ? error.problem : messageOf(error)
  const [, ended = text] = /\((the server ended .*)\)$/s.exec(text) ?? []
  return ended
    .replaceAll(`${folder}/packed/`, '')
    .replaceAll(/\S*jexo-0?-?[\da-z]+-[\da-f]{16}\/(up\/)*/g, '')
    .replaceAll(`${folder}/`, '')
}
