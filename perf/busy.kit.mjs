import { defineKit, tool } from '../dist/index.js'

/**
 * A tool that computes for five milliseconds, so that the server, and not the load generator, limits the throughput.
 */
export default defineKit({
  name: 'busy',
  version: '1.0.0',
  parts: [
    tool('compute', {
      about: 'Computes for 5 ms.',
      effect: 'read',
      run: () => {
        const begun = performance.now()
        let rounds = 0
        while (performance.now() - begun < 5) rounds++
        return rounds > 0
      },
    }),
  ],
})
