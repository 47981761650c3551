/** Runs work without overlap; requests during a run cause one more run. */
export function oneAtATime<T>(
  work: (given: T) => Promise<void>,
  failed: (error: unknown) => void,
): (given: T) => void {
  let isRunning = false
  let next: { given: T } | undefined
  const run = async () => {
    isRunning = true
    while (next) {
      const { given } = next
      next = undefined
      await work(given).catch(failed)
    }
    isRunning = false
  }
  return (given) => {
    next = { given }
    if (!isRunning) void run()
  }
}
