import type { WatchedSession } from '../telemetry/telemetry.js'
import type { Wire } from './wire.js'

/** The session of a link as telemetry sees it. */
export const watchedSession = (wire: Wire, revisionDate: () => string): WatchedSession => ({
  get sessionId() {
    return wire.sessionId
  },
  get revisionDate() {
    return revisionDate()
  },
  network: wire.network ?? { transport: undefined },
  // This side chooses the names itself.
  knows: () => true,
  mask: (text) => text,
})
