import { defineKit, tool } from 'jexo'
import { z } from 'zod'

const about = 'Adds weights.'

/** A kit that uses no Node module. */
export const kit = defineKit({
  name: 'scales',
  version: '1.0.0',
  about,
  parts: [
    tool('total_weight', {
      about,
      effect: 'read',
      input: z.object({ one: z.number(), other: z.number() }),
      output: z.object({ kg: z.number() }),
      run: async ({ one, other }, call) => {
        call.progress(1, 2)
        return { kg: one + other }
      },
    }),
    tool('print_much', {
      about: 'Prints in every way.',
      effect: 'read',
      run: () => {
        console.log('a log')
        console.table(['a row'])
        console.info('%s', 'an info')
        return 'printed'
      },
    }),
  ],
})
export default kit
