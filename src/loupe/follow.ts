import type { SSEStreamingApi } from 'hono/streaming'
import type { Bench } from './bench.js'
import { slimmed } from './slim.js'

const entriesAtOnce = 500

/**
 * Sends the journal after a sequence number and the state of all targets to a page, then what changes, until the page
 * disconnects. If the page reads slowly, what it misses waits in the journal.
 */
export async function followBench(stream: SSEStreamingApi, bench: Bench, after: number): Promise<void> {
  let sent = after
  let isBenchDue = true
  let isSending = false
  const sendWhatIsDue = async () => {
    if (isSending) return
    isSending = true
    while (!stream.aborted) {
      const entries = bench.journal.after(sent, entriesAtOnce)
      const last = entries.at(-1)
      if (isBenchDue) {
        isBenchDue = false
        await stream.writeSSE({ event: 'bench', data: JSON.stringify(bench.view) })
      } else if (last) {
        sent = last.sequence
        await stream.writeSSE({ event: 'entries', id: String(sent), data: JSON.stringify(entries.map(slimmed)) })
      } else break
    }
    isSending = false
  }
  const stops = [
    bench.journal.listen(() => void sendWhatIsDue()),
    bench.onChange(() => {
      isBenchDue = true
      void sendWhatIsDue()
    }),
  ]
  void sendWhatIsDue()
  await new Promise<void>((resolve) => stream.onAbort(resolve))
  for (const stop of stops) stop()
}
