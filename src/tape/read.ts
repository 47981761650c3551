import { isObject, readMessage } from '../protocol/messages.js'
import type { TapeEntry, TapeEvent } from './entry.js'
import { tapeErrors } from './errors.js'

/**
 * Reads a tape line by line. The file may still be written to, so an incomplete last line is ignored. Throws a
 * `JexoError` that names the file, the line and the error.
 */
export class TapeReader {
  readonly #file: string
  #lines = 0
  #sequence = 0

  constructor(file: string) {
    this.#file = file
  }

  /** The entry of a line; undefined for a header or an empty line. A tape that was appended to has a header in the middle. */
  take(line: string): TapeEntry | undefined {
    this.#lines++
    if (line.trim() === '') return undefined
    const value = this.#parse(line)
    if (value.kind === 'tape') {
      if (value.version !== 1)
        throw this.#wrong(`its version is ${JSON.stringify(value.version)}, and only version 1 is supported`)
      return undefined
    }
    if (this.#lines === 1) throw this.#wrong('it does not begin with {"version":1,"kind":"tape",…}')
    const fault = faultOf(value)
    if (fault) throw this.#wrong(fault)
    return { ...(value as unknown as TapeEvent & { at: number; target: string }), sequence: ++this.#sequence }
  }

  #parse(line: string) {
    try {
      const value: unknown = JSON.parse(line)
      if (isObject(value)) return value
    } catch {
      // Reported below, with the line number.
    }
    throw this.#wrong('it is not a JSON object')
  }

  #wrong(reason: string) {
    return tapeErrors.tapeUnreadable(this.#file, this.#lines, reason)
  }
}

/** Reads a whole tape. */
export function readTape(file: string, text: string): TapeEntry[] {
  const reader = new TapeReader(file)
  const lines = text.split('\n')
  // An incomplete last line was cut off while it was written.
  if (!text.endsWith('\n')) lines.pop()
  return lines.flatMap((line) => reader.take(line) ?? [])
}

const isSide = (value: unknown) => value === 'client' || value === 'server'
const isHeaders = (value: unknown) =>
  isObject(value) && Object.values(value).every((item) => typeof item === 'string')

/** Required fields of each kind of entry. Unknown fields are kept, since newer versions may add some. */
const needs: Readonly<Record<string, (value: Readonly<Record<string, unknown>>) => boolean>> = {
  message: ({ from, message, bytes }) =>
    isSide(from) && readMessage(message).kind !== 'malformed' && typeof bytes === 'number',
  http: ({ exchange, method, url, requestHeaders, responseHeaders }) =>
    typeof exchange === 'number' &&
    typeof method === 'string' &&
    typeof url === 'string' &&
    isHeaders(requestHeaders) &&
    (responseHeaders === undefined || isHeaders(responseHeaders)),
  upstream: ({ record }) => isObject(record) && typeof record.label === 'string',
  'sign-in': ({ step }) =>
    isObject(step) &&
    ['stage', 'outcome', 'detail'].every((name) => typeof step[name] === 'string') &&
    typeof step.durationMs === 'number' &&
    (step.rule === undefined || typeof step.rule === 'string'),
  page: ({ from, view, message }) =>
    (from === 'host' || from === 'page') && typeof view === 'string' && isObject(message),
  stray: ({ from, text }) => isSide(from) && typeof text === 'string',
  stderr: ({ text }) => typeof text === 'string',
  state: ({ state, text }) => /^(connecting|open|closed)$/.test(String(state)) && typeof text === 'string',
}

function faultOf(value: Readonly<Record<string, unknown>>): string | undefined {
  if (typeof value.at !== 'number' || typeof value.target !== 'string') return 'it lacks "at" or "target"'
  const isWhole = needs[String(value.kind)]
  if (!isWhole) return `it has an unknown kind, ${JSON.stringify(value.kind)}`
  return isWhole(value) ? undefined : `the ${value.kind} entry has a missing or invalid field`
}
