import { existsSync, statSync } from 'node:fs'
import { register } from 'node:module'
import { dirname, isAbsolute, join, relative, resolve } from 'node:path'
import { pathToFileURL } from 'node:url'
import { MessageChannel } from 'node:worker_threads'
import { isJexoError } from '../errors.js'
import { nameOf } from '../kit/brand.js'
import { isKit, type Kit } from '../kit/kit.js'
import { installStdoutGuard, runNamed } from '../transport/stdout-guard.js'
import { wrapRegistry } from '../wrap/source/registry.js'
import { takeEnvironmentFile } from './dot-env.js'
import { kitFileErrors } from './errors.js'
import { generationParam } from './generation.js'

let areHooksIn = false
let loads = 0
const loadedFiles = new Set<string>()
const listeners = new Set<(file: string) => void>()

/**
 * Loads a kit file, TypeScript or JavaScript, with the stdout guard in place before it runs; in a test runner's process stdout is the
 * runner's, and not guarded.
 * `isAgain` loads it and what it imports again. Variables in a file `.env` beside it are there for it, unless they are set.
 * Rejects with a `JexoError` that says in a sentence which file, which part and what to do.
 */
export async function loadKit(file: string, isAgain = false, guardsStdout = true): Promise<Kit> {
  const path = resolve(file)
  const shown = shownPath(path)
  if (!existsSync(path) || statSync(path).isDirectory()) throw kitFileErrors.kitFileMissing(shown)
  if (guardsStdout) installStdoutGuard()
  takeEnvironmentFile(join(dirname(path), '.env'))
  readTypeScript()
  if (isAgain) wrapRegistry().generation = ++loads
  const module = await runNamed(`the loading of ${shown}`, () =>
    importKit(path, shown, isAgain ? `?${generationParam}=${loads}` : ''),
  )
  const given = module.default
  if (!isKit(given)) {
    const isMissing = given === undefined
    throw kitFileErrors.kitFileWithoutKit(shown, isMissing ? 'missing' : nameOf(given))
  }
  return given
}

/** Does something with a kit; what it refuses, such as a missing setting, is said of the kit's file. */
export async function atFile<T>(file: string, use: () => T | Promise<T>): Promise<T> {
  try {
    return await use()
  } catch (error) {
    throw isJexoError(error) && error.location === undefined ? error.at(shownPath(resolve(file))) : error
  }
}

/** A path as a person would type it: relative where it is below the current folder. */
export function shownPath(path: string): string {
  const nearby = relative(process.cwd(), path)
  return nearby.startsWith('..') || isAbsolute(nearby) || nearby === '' ? path : nearby
}

/** Called for each file of the author's that was or will be loaded, or read by a wrap; returns a function that ends that. */
export function onLoadedFile(listener: (file: string) => void): () => void {
  for (const file of loadedFiles) listener(file)
  listeners.add(listener)
  return () => listeners.delete(listener)
}

async function importKit(path: string, shown: string, query: string): Promise<{ default?: unknown }> {
  try {
    return (await import(pathToFileURL(path).href + query)) as { default?: unknown }
  } catch (error) {
    if (isJexoError(error)) throw error.at(shown)
    throw kitFileErrors.kitFileBroken(shown, reasonOf(error, path), error)
  }
}

function reasonOf(error: unknown, path: string): string {
  if (!(error instanceof Error)) return `it threw ${String(error)}`
  if (error instanceof SyntaxError) return error.message.split('\n')[0] ?? 'syntax error'
  const code = (error as NodeJS.ErrnoException).code
  const line = new RegExp(`${path.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')}:(\\d+)`).exec(error.stack ?? '')?.[1]
  const place = line === undefined ? '' : ` (line ${line})`
  const said = (error.message.split('\n')[0] ?? '').replace(/ imported from .*$/, '')
  return `${code === 'ERR_MODULE_NOT_FOUND' ? '' : `${error.name}: `}${said}${place}`
}

/** From now on this process imports TypeScript as kit files are loaded. */
export function readTypeScript(): void {
  if (areHooksIn) return
  areHooksIn = true
  process.setSourceMapsEnabled(true)
  const { port1, port2 } = new MessageChannel()
  const heard = (file: string) => {
    loadedFiles.add(file)
    for (const listener of listeners) listener(file)
  }
  port1.on('message', heard)
  wrapRegistry().onSource = heard
  port1.unref()
  register('./module-hooks.js', import.meta.url, { data: { port: port2 }, transferList: [port2] })
}
