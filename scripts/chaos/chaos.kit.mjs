import { appendFileSync } from 'node:fs'
import { defineKit, setting, template, tool } from 'jexo'
import { z } from 'zod'

const note = (call, line) => appendFileSync(call.settings.LEDGER, `${line}\n`)
const pause = (ms) => new Promise((go) => setTimeout(go, ms))
const key = z.object({ key: z.string() })

/** The kit that the chaos run calls. Every change is written to a file, so that it can be counted. */
export default defineKit({
  name: 'chaos',
  version: '1.0.0',
  settings: { LEDGER: setting({ about: 'File of what was done.' }) },
  parts: [
    tool('weigh', { about: 'Reads.', effect: 'read', input: key, run: ({ key }) => `weighed ${key}` }),
    tool('count', {
      about: 'Reads, with progress.',
      effect: 'read',
      input: key,
      run: async ({ key }, call) => {
        for (let step = 1; step <= 3; step++) {
          await pause(100)
          call.progress(step, 3)
        }
        return `counted ${key}`
      },
    }),
    tool('move', {
      about: 'Changes something.',
      effect: 'change',
      input: key,
      run: ({ key }, call) => {
        note(call, `move ${key}`)
        return `moved ${key}`
      },
    }),
    tool('ask', {
      about: 'Asks a person.',
      effect: 'change',
      input: key,
      run: async ({ key }, call) => {
        const answer = await call.askPerson(`Which hive for ${key}?`, z.object({ hive: z.string() }))
        return `asked ${key}: ${answer.action === 'accept' ? answer.content.hive : answer.action}`
      },
    }),
    tool('tick', {
      about: 'Tells of a change.',
      effect: 'change',
      input: key,
      run: ({ key }, call) => {
        call.resourceUpdated(`ticks://${key}`)
        return `ticked ${key}`
      },
    }),
    tool('survey', {
      about: 'A task that ends with its process.',
      effect: 'change',
      input: key,
      task: 'required',
      run: async ({ key }, call) => {
        await pause(1500)
        note(call, `survey ${key}`)
        return `surveyed ${key}`
      },
    }),
    tool('harvest', {
      about: 'A task that survives its process.',
      effect: 'change',
      input: key,
      task: 'required',
      durable: { attempts: 20 },
      run: async ({ key }, call) => {
        const from = call.task.checkpoint ?? 0
        for (let frame = from + 1; frame <= 4; frame++) {
          await pause(500)
          await call.checkpoint(frame)
        }
        note(call, `harvest ${key}`)
        return `harvested ${key}`
      },
    }),
    template('ticks://{key}', { name: 'tick', about: 'A tick.', read: ({ key }) => key }),
  ],
})
