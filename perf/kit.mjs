/** The measured kit: one small tool with structured output, and many more for the list. */

import { z } from 'zod'
import { defineKit, tool } from '../dist/index.js'

export const input = { hive: 'ML-04' }
export const output = { kg: 41.2, at: '2026-06-02T06:00:00Z' }

const weigh = (result) =>
  tool('weigh_hive', {
    about: 'Latest reading of the scale under one hive, in kilograms.',
    input: z.object({ hive: z.string() }),
    output: z.object({ kg: z.number(), at: z.string(), note: z.string().optional() }),
    effect: 'read',
    run: () => result,
  })

export const kitOf = (tools = 1, layers = [], result = output) =>
  defineKit({
    name: 'perf',
    layers,
    version: '1.0.0',
    parts: [
      weigh(result),
      ...Array.from({ length: tools - 1 }, (_, index) =>
        tool(`tool_${index}`, {
          about: `Tool number ${index}.`,
          input: z.object({ hive: z.string().describe('Hive code') }),
          effect: 'read',
          run: () => 1,
        }),
      ),
    ],
  })
export default kitOf()
