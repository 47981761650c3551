import { Overdue } from '../../src/transport/http/overdue.js'

test('what waits too long is acted on, in order; what was settled before is not', async () => {
  const overdue = new Overdue(20)
  const acted: number[] = []
  const waiting = Array.from({ length: 3000 }, (_, index) => overdue.add(() => acted.push(index)))
  for (const [index, entry] of waiting.entries()) entry.isSettled = index % 1000 !== 0
  const last = new Promise<void>((resolve) => overdue.add(resolve))
  await last
  expect(acted).toEqual([0, 1000, 2000])
})
