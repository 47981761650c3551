/** A duration in as few characters as possible. */
export function duration(ms: number): string {
  if (ms < 10) return `${ms.toFixed(1)} ms`
  return ms < 1000 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(2)} s`
}

/** Time since the start of the score. */
export function timeOf(ms: number): string {
  const seconds = ms / 1000
  if (seconds < 60) return `${seconds.toFixed(2)} s`
  const minutes = Math.floor(seconds / 60)
  const rest = (seconds % 60).toFixed(1).padStart(4, '0')
  return minutes < 60
    ? `${minutes}:${rest}`
    : `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, '0')}:${rest.slice(0, 2)}`
}
