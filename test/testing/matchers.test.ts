import { defineKit, Refusal, tool } from 'jexo'
import { fakeClock, type KitMatchers, kitMatchers, openKit } from 'jexo/testing'
import { z } from 'zod'

declare global {
  namespace jest {
    interface Matchers<R> extends KitMatchers<R> {}
  }
}
expect.extend(kitMatchers)

const weigh = tool('weigh', {
  about: 'Weighs.',
  effect: 'read',
  input: z.object({ hive: z.string() }),
  output: z.object({ kg: z.number(), rows: z.array(z.string()) }),
  run: ({ hive }) => {
    if (hive !== 'ML-04') throw new Refusal(`There is no hive ${hive}.`)
    return { kg: 41, rows: ['a', 'b'] }
  },
})
const wait = tool('wait', {
  about: 'Waits ten minutes.',
  effect: 'read',
  run: async () => {
    await new Promise((wake) => setTimeout(wake, 600_000))
    return new Date().toISOString()
  },
})
const kit = defineKit({ name: 'k', version: '1', parts: [weigh, wait] })

describe('matchers', () => {
  test('pass for matching results', async () => {
    const link = await openKit(kit)
    const answer = await link.call('weigh', { hive: 'ML-04' })
    expect(answer).toHaveResult({ kg: 41 })
    expect(answer).toHaveResult(/"kg": ?41/)
    expect(answer).not.toHaveResult({ kg: 40 })
    await expect(answer).toMatchSchema({ required: ['kg'] })
    const refused = await link.call('weigh', { hive: 'x' })
    expect(refused).toBeToolError()
    expect(refused).toBeToolError('There is no hive x.')
    expect(refused).not.toBeToolError(/scale/)
    expect(answer).not.toBeToolError()
    await link.close()
  })

  test('report a mismatch field by field and line by line', async () => {
    const link = await openKit(kit)
    const answer = await link.call('weigh', { hive: 'ML-04' })
    const said = (matcher: () => unknown) => expect(matcher)
    said(() => expect(answer).toHaveResult({ kg: 40, rows: ['a', 'c'] })).toThrow(
      /structured\.kg: expected 40, got 41\nstructured\.rows\[1\]: expected "c", got "b"\n- expected\n\+ received[\s\S]*- {3}"kg": 40,\n\+ {3}"kg": 41,/,
    )
    said(() => expect(answer).toBeToolError()).toThrow(/the tool did not fail; it returned: /)
    said(() => expect({ content: [], isError: true }).toHaveResult({})).toThrow(/the tool failed/)
    said(() => expect(7).toHaveResult({})).toThrow(/expected a result of link\.call/)
    said(() => expect(answer).not.toHaveResult({ kg: 41 })).toThrow(/was expected not to match/)
    await expect(async () =>
      expect(answer).toMatchSchema({ properties: { kg: { type: 'string' } } }),
    ).rejects.toThrow(/kg must be string/)
    await expect(async () => expect(answer).toMatchSchema({ type: 'nothing' })).rejects.toThrow()
    await link.close()
  })
})

test('a fake clock advances on request, and restores the real time', async () => {
  const real = Date.now()
  const clock = fakeClock('2026-06-02T06:00:00Z')
  try {
    const link = await openKit(kit, { timeoutMs: 3_600_000 })
    const waiting = link.call('wait')
    await clock.advance(599_000)
    let isOver = false
    void waiting.then(() => {
      isOver = true
    })
    await clock.advance(500)
    expect(isOver).toBe(false)
    await clock.advance(500)
    expect(await waiting).toHaveResult('2026-06-02T06:10:00.000Z')
    expect(clock.now).toBe(Date.parse('2026-06-02T06:10:00Z'))
    await link.close()
  } finally {
    clock.end()
  }
  expect(Date.now()).toBeGreaterThanOrEqual(real)
  expect(() => fakeClock('noon')).toThrow(/is not a time/)
})
