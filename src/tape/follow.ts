import { open, stat } from 'node:fs/promises'
import { basename, dirname } from 'node:path'
import { watch } from 'chokidar'
import { LineSplitter } from '../transport/line-splitter.js'
import type { TapeEntry } from './entry.js'
import { TapeReader } from './read.js'

const longestLineBytes = 512 * 1024 * 1024

export interface FollowedTape {
  /** Resolves once the existing content of the file was passed on. */
  readonly ready: Promise<void>
  close(): Promise<void>
}

/**
 * Passes on existing and new entries of a tape. The file may be created later; if it is emptied or replaced, it is read
 * from the start. At a line that cannot be parsed, ends and calls `failed`.
 */
export function followTape(
  file: string,
  heard: (entries: readonly TapeEntry[]) => void,
  failed: (error: unknown) => void,
): FollowedTape {
  let reader = new TapeReader(file)
  let gathered: TapeEntry[] = []
  let at = 0
  let isOver = false
  const newSplitter = () =>
    new LineSplitter(
      longestLineBytes,
      (line) => {
        const entry = reader.take(line)
        if (entry) gathered.push(entry)
      },
      () => {},
    )
  let lines = newSplitter()
  const readOn = async () => {
    const size = await stat(file).then(
      (found) => found.size,
      () => -1,
    )
    if (size < at) {
      at = 0
      reader = new TapeReader(file)
      lines = newSplitter()
    }
    if (size <= at || isOver) return
    const handle = await open(file)
    try {
      const chunk = Buffer.alloc(1024 * 1024)
      for (;;) {
        const { bytesRead } = await handle.read(chunk, 0, chunk.length, at)
        if (bytesRead === 0 || isOver) break
        at += bytesRead
        // Copied, since the splitter keeps incomplete lines.
        lines.push(Buffer.from(chunk.subarray(0, bytesRead)))
        const entries = gathered
        gathered = []
        if (entries.length > 0) heard(entries)
      }
    } finally {
      await handle.close()
    }
  }
  let work: Promise<void> = Promise.resolve()
  const next = () => {
    work = work.then(readOn).catch((error) => {
      if (isOver) return
      void stop()
      failed(error)
    })
    return work
  }
  // Watches the folder, since the file may be created or replaced later.
  const watcher = watch(dirname(file), {
    depth: 0,
    ignored: (path) => path !== dirname(file) && basename(path) !== basename(file),
  })
  watcher.on('all', () => void next())
  // Some file systems report no changes.
  const timer = setInterval(() => void next(), 1000)
  timer.unref()
  const stop = async () => {
    isOver = true
    clearInterval(timer)
    await watcher.close()
  }
  return {
    ready: next(),
    close: async () => {
      await stop()
      await work
    },
  }
}
