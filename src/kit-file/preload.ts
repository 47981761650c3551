import { closeSync, existsSync, openSync, readSync, statSync } from 'node:fs'
import { createRequire } from 'node:module'
import { fileURLToPath, pathToFileURL } from 'node:url'

/** Imports are expected at the beginning of a file. */
const mostRead = 64 * 1024
const imports = /\bfrom\s*(['"])(jexo|zod)(?:\/([a-z]{1,20}))?\1/g

/**
 * Imports the doors of Jexo, and zod, that a kit file uses, before the module hooks are installed. With hooks on a
 * separate thread, every import sends that thread two requests; modules that are loaded already need none. Does nothing
 * unless the kit would import this installation of Jexo.
 */
export async function preload(kitFile: string): Promise<void> {
  const wanted = [...headOf(kitFile).matchAll(imports)].flatMap(([, , name, door]) => {
    const url = name === 'zod' ? zodFor(kitFile) : doorFor(kitFile, door ?? 'index')
    return url === undefined ? [] : [url]
  })
  // An import that fails here fails again in the kit, and is reported there.
  await Promise.all([...new Set(wanted)].map((url) => import(url).catch(() => {})))
}

/** The beginning of a file; empty if it cannot be read, which the import reports. */
function headOf(file: string): string {
  try {
    // Opening a pipe would block until it has a writer.
    if (!statSync(file).isFile()) return ''
    const opened = openSync(file, 'r')
    try {
      const bytes = Buffer.alloc(mostRead)
      return bytes.toString('utf8', 0, readSync(opened, bytes, 0, mostRead, 0))
    } finally {
      closeSync(opened)
    }
  } catch {
    return ''
  }
}

/** The bundled door in the folder of this file; see `module-hooks.ts`. */
function doorFor(kitFile: string, door: string): string | undefined {
  const bundled = new URL(`./${door}.js`, import.meta.url)
  const own = fileURLToPath(new URL(`../${door}.js`, import.meta.url))
  if (!existsSync(bundled) || !existsSync(own)) return undefined
  const found = resolvedFrom(kitFile, door === 'index' ? 'jexo' : `jexo/${door}`)
  return found === undefined || found === own ? bundled.href : undefined
}

function zodFor(kitFile: string): string | undefined {
  const own = resolvedFrom(fileURLToPath(import.meta.url), 'zod')
  const found = resolvedFrom(kitFile, 'zod')
  return own !== undefined && (found === undefined || found === own) ? 'zod' : undefined
}

function resolvedFrom(file: string, name: string): string | undefined {
  try {
    return createRequire(pathToFileURL(file)).resolve(name)
  } catch {
    return undefined
  }
}
