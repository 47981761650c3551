import { isAbsolute, relative } from 'node:path'

/** A path for messages: relative if it is below the current folder. */
export function shownPath(path: string): string {
  const nearby = relative(process.cwd(), path)
  return nearby.startsWith('..') || isAbsolute(nearby) || nearby === '' ? path : nearby
}
