/** Limits of the HTTP endpoint; each refusal names the limit (Transports, "Streamable HTTP"). */
export interface HttpLimits {
  /** Maximum length of a POST body. */
  maxBytes: number
  /** Unread bytes after which a stream is closed; the client can resume it. */
  maxUnreadBytes: number
  maxSessions: number
  /** Maximum number of open streams of one session. */
  maxStreams: number
  /** Maximum number of requests in flight in one session. */
  maxInFlight: number
  /** Maximum number of messages that wait for a standing stream. */
  maxWaiting: number
  /** Idle time after which a session ends. */
  idleMs: number
  /** A session that has not sent `notifications/initialized` within this time ends. */
  handshakeMs: number
  heartbeatMs: number
  /** Time after which a stream is closed for the client to resume (from revision 2025-11-25 on); 0 for never. */
  closeStreamAfterMs: number
  /** A response that takes longer than this is sent on a stream, so that heartbeats keep proxies from timing out. */
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
