/** CPU time of this process in milliseconds: what a bound on work is held against, whatever else the machine does meanwhile. */
export function cpuMs(): number {
  const { user, system } = process.cpuUsage()
  return (user + system) / 1000
}

/**
 * CPU time of the work alone, in milliseconds: a run that takes longer than `limitMs` is repeated, since what other work has left to the garbage
 * collector, or the first compilation, counts into a run by accident.
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
