import { fileURLToPath } from 'node:url'
import { shownPath } from './shown-path.js'

/** Why a file did not load: the error, its file and line, and the chain of imports that leads to it. */
export function loadFailure(error: unknown, path: string, importedBy: ReadonlyMap<string, string>): string {
  if (!(error instanceof Error)) return `it threw ${String(error).slice(0, 300)}`
  const [first = ''] = error.message.split('\n')
  if (error instanceof SyntaxError) {
    const file = / of (\/.+?): /.exec(first)?.[1]
    return (file === undefined ? first : first.replace(file, shownPath(file))) + chainTo(file, path, importedBy)
  }
  if (/needed by esbuild/.test(error.message))
    return `${first} It comes with an optional package of esbuild; install it with: npm install --include=optional`
  const { code } = error as NodeJS.ErrnoException
  if (code === 'ERR_MODULE_NOT_FOUND') {
    const [, what = first, by] = /^(.*?) imported from (.*)$/.exec(first) ?? []
    return by === undefined || by === path
      ? what
      : `${what}, imported by ${shownPath(by)}${chainTo(by, path, importedBy)}`
  }
  const { file, line } = placeIn(error)
  const place = file === undefined ? '' : file === path ? ` (line ${line})` : ` (${shownPath(file)}:${line})`
  const circle = /before initialization/.test(first) ? circleFrom(file ?? path, importedBy) : ''
  return `${error.name}: ${first}${place}${circle || chainTo(file, path, importedBy)}`
}

/** The first line of the stack that is in the author's code. */
function placeIn({ stack = '' }: Error): { file?: string; line?: string } {
  for (const frame of stack.split('\n')) {
    const [, url, line] = /\(?((?:file:\/\/|\/)[^()]*?):(\d+):\d+\)?$/.exec(frame) ?? []
    if (url === undefined || line === undefined || /[\\/]node_modules[\\/]|node:/.test(url)) continue
    return {
      file: url.startsWith('file:') ? fileURLToPath(url.replace(/[?#].*$/, '')) : url.replace(/\?.*$/, ''),
      line,
    }
  }
  return {}
}

/** `, imported by hives.kit.ts → lib/desk.ts` */
function chainTo(file: string | undefined, path: string, importedBy: ReadonlyMap<string, string>): string {
  if (file === undefined || file === path) return ''
  const chain: string[] = []
  for (let at = importedBy.get(file); at !== undefined && !chain.includes(at); at = importedBy.get(at)) {
    chain.unshift(at)
    if (at === path) break
  }
  return chain.length === 0 ? '' : `, imported by ${chain.map(shownPath).join(' → ')}`
}

/** Two files that import each other can read names before they are initialized. */
function circleFrom(file: string, importedBy: ReadonlyMap<string, string>): string {
  const chain = [file]
  for (let at = importedBy.get(file); at !== undefined && chain.length < 20; at = importedBy.get(at)) {
    if (chain.includes(at)) break
    chain.unshift(at)
  }
  return chain.length < 2
    ? ''
    : `; files that import each other see names before they have values: ${chain.map(shownPath).join(' → ')}`
}
