import { type Clock, install } from '@sinonjs/fake-timers'
import { MemoryEventStore } from '../../src/transport/http/event-store.js'
import { EventStream } from '../../src/transport/http/event-stream.js'
import { httpLimits } from '../../src/transport/http/limits.js'

let clock: Clock
beforeEach(() => {
  clock = install({ toFake: ['setInterval', 'clearInterval', 'setTimeout', 'clearTimeout'] })
})
afterEach(() => clock.uninstall())

function opened(given: Partial<typeof httpLimits> = {}) {
  const stream = new EventStream('s', new MemoryEventStore(), { ...httpLimits, ...given })
  const reader = { written: [] as string[], ended: 0 }
  const detach = stream.attach({
    write: (text: string) => void reader.written.push(text),
    end: () => void reader.ended++,
  } as never)
  return { stream, reader, detach }
}

test('a silent stream has a comment at each heartbeat, and none before', () => {
  const { reader } = opened({ heartbeatMs: 5000 })
  clock.tick(4999)
  expect(reader.written).toStrictEqual([])
  clock.tick(1)
  expect(reader.written).toStrictEqual([': still here\n\n'])
  clock.tick(10_000)
  expect(reader.written).toHaveLength(3)
})

test('a reader that is gone or replaced gets no more heartbeats', () => {
  const { stream, reader, detach } = opened({ heartbeatMs: 5000 })
  const other: string[] = []
  stream.attach({ write: (text: string) => void other.push(text), end: () => {} } as never)
  detach()
  clock.tick(5000)
  expect([reader.written, reader.ended, other.length]).toStrictEqual([[], 1, 1])
  stream.finish()
  clock.tick(20_000)
  expect(other).toHaveLength(1)
})
