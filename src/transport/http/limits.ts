/** Limits of the HTTP endpoint; each refusal names the limit (Transports, "Streamable HTTP"). */
export interface HttpLimits {
  /** Longest body of a POST. */
  maxBytes: number
  /** Unread bytes after which a stream is closed; the client can resume it. */
  maxUnreadBytes: number
  maxSessions: number
  /** Open streams of one session. */
  maxStreams: number
  /** Requests in flight in one session. */
  maxInFlight: number
  /** Messages that wait for a standing stream. */
  maxWaiting: number
  /** Idle time after which a session ends. */
  idleMs: number
  /** A session that has not sent `notifications/initialized` after this long is ended. */
  handshakeMs: number
  heartbeatMs: number
  /** Time after which a stream is closed and the client resumes it (from revision 2025-11-25 on); 0 for never. */
  closeStreamAfterMs: number
  /** An answer that takes longer than this goes out on a stream, so that heartbeats keep a proxy from giving up. */
  streamAfterMs: number
}

export const httpLimits: HttpLimits = {
  maxBytes: 4 * 1024 * 1024,
  maxUnreadBytes: 16 * 1024 * 1024,
  maxSessions: 10_000,
  maxStreams: 16,
  maxInFlight: 256,
  maxWaiting: 256,
  idleMs: 30 * 60_000,
  handshakeMs: 10_000,
  heartbeatMs: 15_000,
  closeStreamAfterMs: 0,
  streamAfterMs: 10_000,
}
