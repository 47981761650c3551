import { type UpstreamRecord, upstreamMethod } from '../../protocol/upstream.js'
import { now } from '../../tape/entry.js'
import type { NodeConnectOptions } from '../../transport/node-connect.js'
import { columns, errorColours, say } from '../terminal/output.js'
import { ScoreText } from '../text/score-text.js'
import { upstreamDetails } from '../text/upstream-text.js'

/** Draws messages on stderr as they pass; below upstream records, the request and the response. */
export function traceOptions(): NodeConnectOptions {
  const score = new ScoreText({ width: columns(), colours: errorColours })
  let sequence = 0
  say(score.head)
  return {
    onUpstream: () => {},
    onMessage: (message, from) => {
      const bytes = JSON.stringify(message).length
      const text = score.add({
        kind: 'message',
        from,
        message,
        bytes,
        sequence: ++sequence,
        at: now(),
        target: 'call',
      })
      if (text !== undefined) say(text)
      if ('method' in message && message.method === upstreamMethod && message.params) {
        const details = upstreamDetails(message.params as unknown as UpstreamRecord)
        if (details !== '') say(details)
      }
    },
  }
}
