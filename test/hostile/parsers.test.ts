import fc from 'fast-check'
import { leastCpuMs } from '../support/cpu.js'
import { parserTargets } from './parsers.js'

/** Every parser with almost valid texts: it throws only errors for people, takes no second, and uses little memory. */
describe.each(parserTargets.map((target) => [target.name, target] as const))('%s', (_name, { inputs, run }) => {
  test('reads or refuses hostile input within time and memory limits', () => {
    const before = process.memoryUsage().heapUsed
    let slowest = 0
    fc.assert(
      fc.property(inputs, (input) => {
        slowest = Math.max(
          slowest,
          leastCpuMs(1000, () => run(input)),
        )
      }),
      { numRuns: 75, seed: 17, endOnFailure: true },
    )
    expect(slowest).toBeLessThan(1000)
    expect(process.memoryUsage().heapUsed - before).toBeLessThan(400_000_000)
  })
})
