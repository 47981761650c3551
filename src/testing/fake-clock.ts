import { install } from '@sinonjs/fake-timers'

/** A clock that changes only when it is advanced. */
export interface FakeClock {
  /** Milliseconds since 1970, the current value of `Date.now()`. */
  readonly now: number
  /** Advances the clock by milliseconds: runs the timers that are due, and waits for their continuations. */
  advance(ms: number): Promise<void>
  /** Restores the real time. */
  end(): void
}

/**
 * Stops time for the whole process: `Date`, `setTimeout` and `setInterval` use this clock until `end`. For kits that read the time, wait or
 * poll. Links in memory and network requests keep working, but their timeouts do not elapse.
 *
 * @example
 * const clock = fakeClock('2026-06-02T06:00:00Z')
 * const weighing = link.call('weigh_site', { site: 'Quarry Field' })   // waits between hives
 * await clock.advance(2000)
 * const { structuredContent } = await weighing
 * clock.end()
 */
export function fakeClock(at: string | number | Date): FakeClock {
  const start = new Date(at)
  if (Number.isNaN(start.getTime()))
    throw new RangeError(`fakeClock: ${JSON.stringify(at)} is not a time; use a time such as 2026-06-02T06:00:00Z`)
  const clock = install({
    now: start,
    toFake: ['Date', 'setTimeout', 'clearTimeout', 'setInterval', 'clearInterval'],
  })
  return {
    get now() {
      return clock.now
    },
    async advance(ms) {
      await clock.tickAsync(ms)
    },
    end: () => clock.uninstall(),
  }
}
