import { SourceMap } from 'node:module'
import { fileURLToPath } from 'node:url'
import { compile } from './typescript-hooks.mjs'

const frames = /(file:\/\/[^\s()?]+\.tsx?)(?:\?[^\s:()]*)?:(\d+):(\d+)/g
const inlineMap = /\n\/\/# sourceMappingURL=data:application\/json;base64,(\S+)\s*$/

/** Rewrites the stack of a failure: places in compiled modules become those in the TypeScript files in `folder`. */
export async function withSourceLines(error, folder) {
  if (typeof error?.stack !== 'string') return
  const files = new Set(Array.from(error.stack.matchAll(frames), ([, url]) => url))
  const maps = new Map()
  for (const url of files) maps.set(url, await mapOf(fileURLToPath(url), folder))
  error.stack = error.stack.replace(frames, (frame, url, line, column) => {
    const place = maps.get(url)?.findEntry(Number(line) - 1, Number(column) - 1)
    if (place?.originalLine === undefined) return frame
    return `${fileURLToPath(url)}:${place.originalLine + 1}:${place.originalColumn + 1}`
  })
}

async function mapOf(path, folder) {
  const [, map] = inlineMap.exec(await compile(path, folder)) ?? []
  return map && new SourceMap(JSON.parse(Buffer.from(map, 'base64').toString()))
}
