/** CPU time of this process in milliseconds. Limits on work use it, since other processes do not affect it. */
export function cpuMs(): number {
  const { user, system } = process.cpuUsage()
  return (user + system) / 1000
}

/**
 * CPU time of the work alone, in milliseconds: a run that takes longer than `limitMs` is repeated, since a run may include garbage collection
 * of earlier work, or the first compilation.
 */
export function leastCpuMs(limitMs: number, run: () => unknown): number {
  let least = Number.POSITIVE_INFINITY
  for (let tries = 0; tries < 3 && least > limitMs; tries++) {
    const start = cpuMs()
    run()
    least = Math.min(least, cpuMs() - start)
  }
  return least
}
