import { basename } from 'node:path'
import type { KnownSource } from '../detect/source-kind.js'
import { kitWriterErrors } from '../kit-writer/errors.js'
import { writeKitFile } from '../kit-writer/kit-section.js'
import { kitNameOf } from '../kit-writer/written-kit.js'
import type { Preview } from './preview.js'

export interface NamedPreview {
  readonly known: KnownSource
  readonly label: string
  readonly preview: Preview
}

/**
 * Writes one kit file for all sources. Throws a `JexoError` if two of them have parts of the same name, or if that would overwrite edits.
 */
export function writePreviews(outFile: string, previews: readonly NamedPreview[], isForced: boolean): void {
  const entries = previews.map(({ known, preview }) =>
    previews.length === 1 ? preview.entry() : preview.entry(variableFor(known)),
  )
  const seen = new Map<string, string>()
  for (const [at, entry] of entries.entries()) {
    const label = previews[at]?.label ?? ''
    for (const name of Object.keys(entry.mark(outFile).tools)) {
      const other = seen.get(name)
      if (other !== undefined) throw kitWriterErrors.sameNames(name, other, label)
      seen.set(name, label)
    }
  }
  writeKitFile(outFile, kitNameOf(outFile), entries, isForced)
  for (const { preview } of previews) preview.writeBeside?.(outFile)
}

/**
 * The variable for the parts of a source in a kit file: `registry.openapi.yaml` → `registryParts`; a module has its own
 * name.
 */
export function variableFor({ kind, source }: KnownSource): string {
  const name = wordsIn(kind, source).replace(/[^A-Za-z0-9]+(.)?/g, (_all, next: string = '') => next.toUpperCase())
  const start = name.replace(/^[^A-Za-z]+/, '')
  const camel = `${start.slice(0, 1).toLowerCase()}${start.slice(1)}`.slice(0, 40) || kind
  return kind === 'module' ? camel : `${camel}Parts`
}

function wordsIn(kind: KnownSource['kind'], source: string): string {
  const text = source.replace(/[?].*$/s, '')
  const url = /^[a-z][a-z\d+.-]+:\/\/(?:[^@/]*@)?([^/]*)(.*)$/i.exec(text)
  if (url) {
    const [, host = '', path = ''] = url
    const last = path
      .split('/')
      .filter((level) => /[a-z]/i.test(level))
      .at(-1)
    return last === undefined || /^(mcp|sse)$/.test(last) ? (host.split(/[.:]/)[0] ?? '') : stem(last)
  }
  if (kind === 'process' || (kind === 'server' && text.startsWith('exec:'))) {
    const words = text.replace(/^\w+:/, '').split(/\s+/)
    return stem(basename(words.find((word) => /\.\w+$/.test(word)) ?? words[0] ?? ''))
  }
  if (kind === 'server') return text.split('#').at(-1) ?? ''
  return stem(basename(text.replace(/^command:/, '')))
}

const stem = (name: string): string => name.replace(/\..*$/, '')
