import { readFileSync } from 'node:fs'
import { SourceMap } from 'node:module'
import { pathToFileURL } from 'node:url'

/** Lines of Jexo and of its packages are left out of a trace. */
const isForeign = (source: string) => source.startsWith('jexo/') || source.startsWith('node_modules/')

/**
 * Maps stack traces of a packed file to the author's files and lines with the source map, and removes other lines.
 * Without a map, traces stay unchanged.
 */
export function readableTraces(file: string): (text: string) => string {
  const url = pathToFileURL(file).href
  const frame = new RegExp(`^(\\s+at .*?\\(?)(?:${escaped(url)}|${escaped(file)}):(\\d+):(\\d+)(\\)?)$`)
  let map: SourceMap | undefined | null = null
  return (text) => {
    if (!text.includes(url) && !text.includes(file)) return text
    if (map === null) map = readMap(`${file}.map`)
    if (map === undefined) return text
    const known = map
    const lines = text.split('\n').flatMap((line) => {
      const [, before, row, column, after] = frame.exec(line) ?? []
      if (before === undefined) return [line]
      const origin = known.findEntry(Number(row) - 1, Number(column) - 1)
      if (!('originalSource' in origin) || isForeign(origin.originalSource)) return []
      return [`${before}${origin.originalSource}:${origin.originalLine + 1}:${origin.originalColumn + 1}${after}`]
    })
    return lines.join('\n')
  }
}

const escaped = (text: string) => text.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')

function readMap(file: string): SourceMap | undefined {
  try {
    return new SourceMap(JSON.parse(readFileSync(file, 'utf8')))
  } catch {
    return undefined
  }
}
