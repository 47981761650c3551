import { useEffect, useRef, useState } from 'react'
import type { Line } from '../../../src/score/line.js'
import { Score } from '../../../src/score/score.js'
import { type BenchView, type CatalogueView, catalogueOf, follow, type SlimEntry } from '../api'

export type HttpEntry = Extract<SlimEntry, { kind: 'http' }>

/** All data of the page. */
export interface Known {
  lines: readonly Line[]
  /** Heads of HTTP exchanges, by target and number: `t1 4`. */
  exchanges: ReadonlyMap<string, HttpEntry>
  /** Names of targets, including those of tapes. */
  names: Readonly<Record<string, string>>
  bench: BenchView
  catalogues: Readonly<Record<string, CatalogueView>>
  connection: 'live' | 'lost' | 'refused'
  /** False until the backend has sent its first data. */
  isReady: boolean
}

const mostLines = 60_000

/** Follows the backend, and updates the score as entries arrive. */
export function useBench(): Known {
  const [lines, setLines] = useState<readonly Line[]>([])
  const [bench, setBench] = useState<BenchView>()
  const [catalogues, setCatalogues] = useState<Record<string, CatalogueView>>({})
  const [connection, setConnection] = useState<Known['connection']>('live')
  const [labels, setLabels] = useState<Record<string, string>>({})
  const drawn = useRef({ score: new Score(), last: 0, exchanges: new Map<string, HttpEntry>() })

  useEffect(() => {
    const take = (entries: SlimEntry[]) => {
      const state = drawn.current
      const more: Line[] = []
      const found: Record<string, string> = {}
      for (const entry of entries) {
        if (entry.sequence <= state.last) continue
        state.last = entry.sequence
        if (entry.kind === 'http') state.exchanges.set(`${entry.target} ${entry.exchange}`, entry)
        if (entry.kind === 'state' && entry.label !== undefined) found[entry.target] = entry.label
        const line = state.score.add(entry)
        if (line) more.push(line)
      }
      if (Object.keys(found).length > 0) setLabels((before) => ({ ...before, ...found }))
      if (more.length > 0) setLines((before) => [...before, ...more].slice(-mostLines))
    }
    return follow(take, setBench, setConnection)
  }, [])

  const targets = bench?.targets ?? []
  const versions = targets.map(({ id, catalogueVersion }) => `${id}:${catalogueVersion}`).join(' ')
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new version is what makes a catalogue worth fetching
  useEffect(() => {
    for (const { id, catalogueVersion } of targets) {
      if (catalogueVersion === 0 || catalogues[id]?.version === catalogueVersion) continue
      catalogueOf(id).then(
        (found) => setCatalogues((before) => ({ ...before, [id]: found })),
        () => {},
      )
    }
  }, [versions])

  const names = Object.fromEntries([
    ...Object.entries(labels),
    ...targets.map(({ id, name, label }) => [id, name ?? label] as const),
  ])
  return {
    lines,
    exchanges: drawn.current.exchanges,
    names,
    bench: bench ?? { targets: [], tapes: [], recordingTo: undefined, viewProxy: undefined },
    catalogues,
    connection,
    isReady: bench !== undefined,
  }
}
