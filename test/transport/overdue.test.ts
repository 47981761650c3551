import { Overdue } from '../../src/transport/http/overdue.js'

const waits = (act: () => void) => ({ dueAtMs: 0, before: undefined, after: undefined, overdue: act })

test('expired items are handled in order, and removed ones are not', async () => {
  const overdue = new Overdue(20)
  const acted: number[] = []
  const waiting = Array.from({ length: 3000 }, (_, index) => waits(() => acted.push(index)))
  for (const one of waiting) overdue.add(one)
  for (const [index, one] of waiting.entries()) if (index % 1000 !== 0) overdue.remove(one)
  await new Promise<void>((resolve) => overdue.add(waits(resolve)))
  expect(acted).toStrictEqual([0, 1000, 2000])
})
