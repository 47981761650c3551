import { existsSync, statSync } from 'node:fs'
import * as nodeModules from 'node:module'
import { dirname, join, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { MessageChannel, type MessagePort, receiveMessageOnPort } from 'node:worker_threads'
import { isJexoError } from '../errors.js'
import { nameOf } from '../kit/brand.js'
import { isKit, type Kit } from '../kit/kit.js'
import { installStdoutGuard, runNamed } from '../transport/stdout-guard.js'
import { buildPages } from '../view/build/install.js'
import { wrapRegistry } from '../wrap/source/registry.js'
import { takeEnvironmentFile } from './dot-env.js'
import { kitFileErrors } from './errors.js'
import { generationParam } from './generation.js'
import { loadFailure } from './load-failure.js'
import { withinLimit } from './loading.js'
import type { hooksFor, ImportedFile } from './module-hooks.js'
import { preload } from './preload.js'
import { shownPath } from './shown-path.js'
import { catchStrayErrors } from './stray-errors.js'

let hooksIn: Promise<void> | undefined
let loads = 0
/** With their stamps when they were loaded. */
const loadedFiles = new Map<string, string>()
const listeners = new Set<LoadedListener>()
/** The first importer of each of the author's files. */
const importedBy = new Map<string, string>()
let importsPort: MessagePort | undefined
let take: (message: string | ImportedFile) => void = () => {}

/** Reads pending messages of the hooks thread synchronously. */
function drainImports(): void {
  for (
    let next = importsPort && receiveMessageOnPort(importsPort);
    next;
    next = importsPort && receiveMessageOnPort(importsPort)
  )
    take(next.message)
}

/**
 * Loads a kit file, TypeScript or JavaScript, with the stdout guard installed before it runs; `guardsStdout: false`
 * leaves stdout alone, such as in a test runner. `isAgain` reloads the file and its imports. Loads variables from the
 * file `.env` in its folder, unless they are set. Rejects with a `JexoError` that names the file, the part and the fix.
 */
export async function loadKit(file: string, isAgain = false, guardsStdout = true): Promise<Kit> {
  const path = resolve(file)
  const shown = shownPath(path)
  if (!existsSync(path) || !statSync(path).isFile()) throw kitFileErrors.kitFileMissing(shown)
  if (guardsStdout) installStdoutGuard()
  await takeEnvironmentFile(join(dirname(path), '.env'))
  if (hooksIn === undefined && !runsHooksHere) await preload(path)
  await readTypeScript()
  if (isAgain) wrapRegistry().generation = ++loads
  if (guardsStdout) catchStrayErrors()
  const load = () => importKit(path, shown, isAgain ? `?${generationParam}=${loads}` : '')
  const module = await runNamed(`the loading of ${shown}`, () => (guardsStdout ? withinLimit(shown, load) : load()))
  const given = module.default
  if (!isKit(given)) {
    const isMissing = given === undefined
    throw kitFileErrors.kitFileWithoutKit(shown, isMissing ? 'missing' : nameOf(given))
  }
  return given
}

/** Runs a function with a kit. Errors, such as a missing setting, name the kit's file as their location. */
export async function atFile<T>(file: string, use: () => T | Promise<T>): Promise<T> {
  try {
    return await use()
  } catch (error) {
    throw isJexoError(error) && error.location === undefined ? error.at(shownPath(resolve(file))) : error
  }
}

export { shownPath }

/** Receives a source file, and its stamp when it was loaded. */
export type LoadedListener = (file: string, stamp: string) => void

/** Differs after the file was written; empty if it cannot be read. */
export function stampOf(file: string): string {
  try {
    const { mtimeMs, size } = statSync(file)
    return `${mtimeMs} ${size}`
  } catch {
    return ''
  }
}

/**
 * Calls a listener for each source file of the kit that was or will be loaded, or read by a wrap. Returns a function
 * that ends this.
 */
export function onLoadedFile(listener: LoadedListener): () => void {
  for (const [file, stamp] of loadedFiles) listener(file, stamp)
  listeners.add(listener)
  return () => listeners.delete(listener)
}

async function importKit(path: string, shown: string, query: string): Promise<{ default?: unknown }> {
  try {
    return (await import(pathToFileURL(path).href + query)) as { default?: unknown }
  } catch (error) {
    if (isJexoError(error)) throw error.location === shown ? error : error.at(shown)
    drainImports()
    throw kitFileErrors.kitFileBroken(shown, loadFailure(error, path, importedBy), error)
  }
}

/** From Node 22.15 on, hooks run on the importing thread, which saves starting another. */
type HookRegistrars = typeof nodeModules & { registerHooks?: (hooks: ReturnType<typeof hooksFor>) => void }
const { register, registerHooks } = nodeModules as HookRegistrars
const runsHooksHere = registerHooks !== undefined

/** Installs the module hooks that import TypeScript. */
export const readTypeScript = (): Promise<void> => (hooksIn ??= putHooksIn())

async function putHooksIn(): Promise<void> {
  process.setSourceMapsEnabled(true)
  const heard = (file: string) => {
    const stamp = stampOf(file)
    loadedFiles.set(file, stamp)
    for (const listener of listeners) listener(file, stamp)
  }
  take = (message) => {
    if (typeof message === 'string') heard(message)
    else if (!importedBy.has(message.file)) importedBy.set(message.file, message.by)
  }
  wrapRegistry().onSource = heard
  buildPages(heard)
  if (registerHooks !== undefined) {
    const { compileTypeScript } = await import('./compile-typescript.js')
    const { hooksFor } = await import('./module-hooks.js')
    registerHooks(hooksFor(take, compileTypeScript))
    return
  }
  const { port1, port2 } = new MessageChannel()
  importsPort = port1
  port1.on('message', take)
  port1.unref()
  register('./module-hooks.js', import.meta.url, { data: { port: port2 }, transferList: [port2] })
}
