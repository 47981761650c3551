import type ts from 'typescript'

/**
 * Parsed declarations of the language and of Node, which are half of the work of reading a module. A kit with several wrapped modules, and
 * a kit that is reloaded, parse them once. They take tens of megabytes, so they are dropped soon after the last use.
 */
const kept = new Map<string, ts.SourceFile>()
const keepMs = 15_000
let timer: NodeJS.Timeout | undefined

const isOfPlatform = /[\\/]node_modules[\\/](?:typescript[\\/]lib|@types[\\/]node|undici-types)[\\/].*\.d\.[cm]?ts$/

type Version = ts.ScriptTarget | ts.CreateSourceFileOptions

/** The kept declarations of a file; undefined if there are none, or they were parsed with other options. */
export function platformFile(
  name: string,
  options: ts.CompilerOptions,
  version: Version,
): ts.SourceFile | undefined {
  return isOfPlatform.test(name) ? kept.get(keyOf(name, options, version)) : undefined
}

/** Keeps the declarations of a file for a while, if they are of the language or of Node. */
export function keepPlatformFile(
  name: string,
  options: ts.CompilerOptions,
  version: Version,
  file: ts.SourceFile,
): void {
  if (!isOfPlatform.test(name)) return
  kept.set(keyOf(name, options, version), file)
  timer ??= setTimeout(() => {
    kept.clear()
    timer = undefined
  }, keepMs).unref()
  timer.refresh()
}

/** The options that parsing and binding depend on. */
function keyOf(name: string, options: ts.CompilerOptions, version: Version): string {
  const { target, module, moduleResolution, jsx } = options
  const { languageVersion, impliedNodeFormat } =
    typeof version === 'object' ? version : { languageVersion: version, impliedNodeFormat: undefined }
  return JSON.stringify([name, target, module, moduleResolution, jsx, languageVersion, impliedNodeFormat])
}
