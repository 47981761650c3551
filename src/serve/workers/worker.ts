import { cpus } from 'node:os'
import type { Store } from '../../store/store.js'
import { Channel, pipeToParent } from './channel.js'
import { pipedStore } from './piped-store.js'

/** The connection of a worker to the primary process. */
export interface Worker {
  /** Numbered from 1. */
  readonly number: number
  /** A store in the primary process, if no other is configured. */
  store(): Store
  /** Reports that it now responds at this URL. */
  ready(url: string, words: string): void
  /** Called when the primary process or a signal asks it to end. */
  readonly asked: Promise<string>
  /** Metrics of this process. */
  onMetrics(read: () => Promise<unknown>): void
  /** Combined metrics of all processes, as text. */
  metrics(): Promise<string>
  end(): void
}

/** Set for processes started by `--workers`. */
export const numberVariable = 'JEXO_WORKER'

let known: Worker | undefined

/** This process as a worker; undefined if it is not one. */
export function asWorker(): Worker | undefined {
  const number = Number(process.env[numberVariable])
  if (!process.connected || !Number.isInteger(number)) return undefined
  known ??= newWorker(number)
  return known
}

function newWorker(number: number): Worker {
  const channel = new Channel(pipeToParent())
  const asked = new Promise<string>((resolve) => channel.on('stop', (reason) => resolve(String(reason))))
  return {
    number,
    asked,
    store: () => pipedStore(channel),
    ready: (url, words) => channel.tell('ready', url, words),
    onMetrics: (read) => channel.on('metrics', read),
    metrics: async () => String(await channel.call('all metrics')),
    end: () => process.disconnect(),
  }
}

/** The number of processes: a number, or `auto` for one per processor. Undefined if the text is neither. */
export function countOf(text: string): number | undefined {
  if (text === 'auto') return Math.max(1, cpus().length)
  const count = Number(text)
  return Number.isInteger(count) && count >= 1 && count <= mostWorkers ? count : undefined
}

export const mostWorkers = 256
