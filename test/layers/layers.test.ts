import { mkdirSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { jest } from '@jest/globals'
import { content, defineKit, type Layer, Refusal, resource, tool } from 'jexo'
import {
  type AuditEntry,
  audit,
  cache,
  circuitBreaker,
  dryRun,
  limitParallel,
  limitRate,
  redact,
  retry,
  shorten,
  timeLimit,
} from 'jexo/layers'
import { RunningKit } from '../../src/engine/running-kit.js'
import type { Identity } from '../../src/kit/call.js'
import { interpretingValidator } from '../../src/kit/interpreting-validator.js'
import { Link } from '../../src/link/link.js'
import { MemoryWire } from '../../src/transport/memory.js'
import { newFolder } from '../support/cli.js'

beforeEach(() => {
  jest.useFakeTimers({ doNotFake: ['nextTick', 'setImmediate', 'queueMicrotask'] })
  jest.advanceTimersByTime(10)
})
afterEach(() => jest.useRealTimers())

type Run = (input: never, call: never) => unknown

/** A link to tools `read`, `change` and a resource `a://b`, behind these layers. */
async function behind(layers: readonly Layer[], run: Run = () => 'x') {
  const errors: string[] = []
  const input = { type: 'object', properties: { hive: { type: 'string' } } } as const
  const kit = defineKit({
    name: 'k',
    version: '1.0.0',
    layers,
    parts: [
      tool('read', { about: 'Reads.', effect: 'read', input, run: run as never }),
      tool('change', { about: 'Changes.', effect: 'change', input, run: run as never }),
      tool('update', {
        about: 'Tells.',
        effect: 'read',
        run: (_, call) => {
          call.resourceUpdated('a://b')
          return 'told'
        },
      }),
      resource('a://b', { name: 'b', about: 'b', read: run as never }),
    ],
  })
  const running = new RunningKit(kit as never, {
    environment: {},
    validator: interpretingValidator,
    report: ({ text }) => void errors.push(text),
  })
  const open = () => Link.open(new MemoryWire(running, true))
  const link = await open()
  const call = async (name = 'read', args = {}, on: Link = link) => {
    const {
      content: [first],
      isError,
    } = await on.call(name, args)
    return `${isError ? 'error: ' : ''}${(first as { text?: string }).text}`
  }
  return { link, call, errors, open }
}
const counting = () => {
  let count = 0
  return () => `run ${++count}`
}

describe('limitRate', () => {
  test('refuses calls beyond the limit, says when to retry, and accepts them then', async () => {
    const { call } = await behind([limitRate({ calls: 2, perMs: 10_000 })])
    expect([await call(), await call()]).toStrictEqual(['x', 'x'])
    jest.advanceTimersByTime(4000)
    expect(await call()).toBe('error: The rate limit of 2 calls in 10 seconds is reached. Try again in 6 seconds.')
    jest.advanceTimersByTime(6001)
    expect(await call()).toBe('x')
  })

  test('holds under 1,000 calls at once', async () => {
    const { call, open } = await behind([limitRate({ calls: 100, perMs: 60_000 })])
    const links = await Promise.all(Array.from({ length: 5 }, open))
    const all = await Promise.all(Array.from({ length: 1000 }, (_, at) => call('read', {}, links[at % 5])))
    expect(all.filter((text) => text === 'x')).toHaveLength(100)
  })

  test.each([
    ['part', ['x', 'x', 'error']],
    ['everyone', ['x', 'error', 'error']],
  ] as const)('counts by %s', async (by, expected) => {
    const { call } = await behind([limitRate({ calls: 1, by })])
    const texts = [await call('read'), await call('change'), await call('read')]
    expect(texts.map((text) => text.split(':')[0])).toStrictEqual(expected)
  })

  test('a clock that jumps back blocks no caller', async () => {
    const { call } = await behind([limitRate({ calls: 1, perMs: 1000 })])
    await call()
    jest.setSystemTime(Date.now() - 3_600_000)
    jest.advanceTimersByTime(1001)
    expect(await call()).toBe('x')
  })
})

describe('limitParallel', () => {
  test('runs a limited number at once, queues the others in order, and refuses when the queue is full', async () => {
    const ends: (() => void)[] = []
    let running = 0
    let most = 0
    const { call } = await behind([limitParallel({ calls: 2, queue: 2 })], async () => {
      most = Math.max(most, ++running)
      await new Promise<void>((end) => ends.push(end))
      running--
      return 'done'
    })
    const calls = Array.from({ length: 5 }, () => call())
    await new Promise((resolve) => setImmediate(resolve))
    expect(await calls[4]).toBe('error: Too many calls are waiting. Try again later.')
    for (let at = 0; at < 4; at++) {
      while (!ends[at]) await new Promise((resolve) => setImmediate(resolve))
      ends[at]?.()
    }
    expect(await Promise.all(calls.slice(0, 4))).toStrictEqual(['done', 'done', 'done', 'done'])
    expect(most).toBe(2)
  })

  test('holds under 1,000 calls at once', async () => {
    let running = 0
    let most = 0
    const { call, open } = await behind([limitParallel({ calls: 10, queue: 1000 })], async () => {
      most = Math.max(most, ++running)
      await new Promise((resolve) => setImmediate(resolve))
      running--
      return 'x'
    })
    const links = await Promise.all(Array.from({ length: 5 }, open))
    await Promise.all(Array.from({ length: 1000 }, (_, at) => call('read', {}, links[at % 5])))
    expect([most, running]).toStrictEqual([10, 0])
  })

  test('a cancelled call leaves the queue, and the next one takes its place', async () => {
    const ends: (() => void)[] = []
    const { link, call } = await behind(
      [limitParallel({ calls: 1 })],
      () => new Promise((end) => ends.push(() => end('x'))),
    )
    const first = call()
    const controller = new AbortController()
    const cancelled = link.call('read', {}, { signal: controller.signal })
    const last = call()
    await new Promise((resolve) => setImmediate(resolve))
    controller.abort(new Error('no longer'))
    await expect(cancelled).rejects.toThrow('no longer')
    ends[0]?.()
    expect(await first).toBe('x')
    while (!ends[1]) await new Promise((resolve) => setImmediate(resolve))
    ends[1]?.()
    expect(await last).toBe('x')
    expect(ends).toHaveLength(2)
  })
})

test('timeLimit ends a call, aborts its signal, and does not affect quick calls', async () => {
  let aborted = false
  const { call } = await behind([timeLimit({ ms: 5000 })], ((
    input: { hive?: string },
    { signal }: { signal: AbortSignal },
  ) => {
    if (input.hive) return 'quick'
    signal.addEventListener('abort', () => {
      aborted = true
    })
    return new Promise(() => {})
  }) as Run)
  expect(await call('read', { hive: 'ML-04' })).toBe('quick')
  const slow = call()
  await new Promise((resolve) => setImmediate(resolve))
  jest.advanceTimersByTime(5000)
  expect(await slow).toBe('error: The call took longer than 5 seconds and was ended.')
  expect(aborted).toBe(true)
})

describe('retry', () => {
  const failing = (times: number, error: () => Error = () => new Error('gone')) => {
    let count = 0
    const run = () => {
      if (count++ < times) throw error()
      return `after ${count}`
    }
    return { run, tries: () => count }
  }
  const settled = async (call: Promise<string>) => {
    let text: string | undefined
    void call.then((given) => {
      text = given
    })
    for (let at = 0; at < 200 && text === undefined; at++) {
      await new Promise((resolve) => setImmediate(resolve))
      jest.advanceTimersByTime(1000)
    }
    return text
  }
  test.each([
    ['a read that fails twice', failing(2), 'read', 'after 3', 3],
    ['a read that fails for good', failing(9), 'read', 'error', 3],
    ['a change', failing(1), 'change', 'error', 1],
    ['a refusal', failing(9, () => new Refusal('no')), 'read', 'error', 1],
  ] as const)('%s', async (_what, { run, tries }, name, expected, count) => {
    const { call } = await behind([retry({ times: 2 })], run)
    expect((await settled(call(name)))?.split(':')[0]).toBe(expected)
    expect(tries()).toBe(count)
  })
})

test('circuitBreaker opens after repeated failures, tries once after a while, and closes again', async () => {
  let isDown = true
  let runs = 0
  const { call } = await behind([circuitBreaker({ failures: 2, openMs: 10_000 })], () => {
    runs++
    if (isDown) throw new Error('down')
    return 'up'
  })
  for (let at = 0; at < 2; at++) expect(await call()).toContain('read failed (error')
  jest.advanceTimersByTime(4000)
  expect(await call()).toBe('error: read failed several times and is paused. Try again in 6 seconds.')
  expect([await call('change'), runs]).toStrictEqual([expect.stringContaining('change failed'), 3])
  jest.advanceTimersByTime(6001)
  isDown = false
  expect([await call(), await call(), runs]).toStrictEqual(['up', 'up', 5])
})

describe('cache', () => {
  test('reuses a read for the same input in any key order, until it expires', async () => {
    const { call, link } = await behind([cache({ keepMs: 1000 })], counting())
    expect([await call(), await call(), await call('read', { hive: 'a' })]).toStrictEqual([
      'run 1',
      'run 1',
      'run 2',
    ])
    expect(await Promise.all([link.read('a://b'), link.read('a://b')])).toHaveLength(2)
    jest.advanceTimersByTime(1001)
    expect(await call()).not.toBe('run 1')
  })

  test('is cleared by a change of the resource, and by a call that changes something', async () => {
    const { call } = await behind([cache()], counting())
    expect(await call()).toBe('run 1')
    await call('update')
    expect(await call()).toBe('run 2')
    expect(await call('change')).toBe('run 3')
    expect([await call(), await call()]).toStrictEqual(['run 4', 'run 4'])
  })

  test('does not keep failures and refusals', async () => {
    let count = 0
    const { call } = await behind([cache()], () => {
      if (count++ === 0) throw new Refusal('later')
      return 'fine'
    })
    expect([await call(), await call()]).toStrictEqual(['error: later', 'fine'])
  })

  test('never returns the result of one caller to another', async () => {
    const run = (_: unknown, call: { identity?: Identity }) => `for ${call.identity?.subject}`
    const kit = defineKit({
      name: 'k',
      version: '1',
      layers: [cache()],
      parts: [tool('mine', { about: 'x', effect: 'read', run: run as never })],
    })
    const running = new RunningKit(kit as never, { environment: {}, validator: interpretingValidator })
    const as = async (subject: string) => {
      const link = await Link.open(new MemoryWire(running, true, { subject, scopes: [], claims: {} }))
      return JSON.stringify((await link.call('mine')).content)
    }
    expect([await as('ada'), await as('odo'), await as('ada')]).toStrictEqual([
      expect.stringContaining('for ada'),
      expect.stringContaining('for odo'),
      expect.stringContaining('for ada'),
    ])
  })
})

describe('shorten', () => {
  test('several layers share one template', async () => {
    const { link } = await behind(
      [shorten({ only: ['read'] }), shorten({ only: ['change'], maxCharacters: 10 })],
      () => 'x'.repeat(50),
    )
    const {
      content: [, there],
    } = await link.call('change', {})
    expect((await link.read((there as { uri: string }).uri)).contents).toMatchObject([{ text: 'x'.repeat(50) }])
    expect(await link.templates()).toHaveLength(1)
  })

  test('cuts a long result, and its caller alone can read the whole for a while', async () => {
    const long = `${'a'.repeat(99)}\u{1f41d}${'b'.repeat(200)}`
    const { link, call, open } = await behind([shorten({ maxCharacters: 100, keepMs: 1000 })], () => long)
    const { content: blocks } = await link.call('read', {})
    expect(blocks).toMatchObject([
      { type: 'text' },
      { type: 'resource_link', uri: expect.stringMatching(/^jexo-result:/) },
    ])
    expect((blocks[0] as { text: string }).text).toMatch(
      /^a{99}\n\n\[Cut after 100 of 301 characters\. The whole result is the resource jexo-result:/,
    )
    const { uri } = blocks[1] as { uri: string }
    expect((await link.read(uri)).contents).toMatchObject([{ text: long }])
    expect(await link.templates()).toMatchObject([{ uriTemplate: 'jexo-result://{id}' }])
    jest.advanceTimersByTime(1001)
    await expect(link.read(uri)).rejects.toThrow(/has expired/)
    expect(await call('update')).toBe('told')
    await (await open()).close()
  })
})

test('redact hides fields and patterns, in plain values and in content', async () => {
  const { call } = await behind([redact({ fields: ['Phone'], patterns: [/\d{4}-\d{4}/] })], ((input: {
    hive?: string
  }) => (input.hive ? content.text('card 1234-5678') : { name: 'Ada', phone: '555', cards: ['1111-2222'] })) as Run)
  expect(JSON.parse(await call())).toStrictEqual({ name: 'Ada', phone: '••••', cards: ['••••'] })
  expect(await call('read', { hive: 'a' })).toBe('card ••••')
  expect(() => redact({})).toThrow(/names of fields, or patterns/)
  class Keeper {
    name = 'Ada'
    phone = '5555'
  }
  const kinds: [unknown, unknown][] = [
    [new Keeper(), { name: 'Ada', phone: '••••' }],
    [new Map([['phone', '5555']]), { phone: '••••' }],
    [{ toJSON: () => ({ phone: '5555' }) }, { phone: '••••' }],
  ]
  for (const [value, shown] of kinds) {
    const { call } = await behind([redact({ fields: ['phone'] })], () => value)
    expect(JSON.parse(await call())).toStrictEqual(shown)
  }
})

test('dryRun describes changes and lets reads pass', async () => {
  const { call } = await behind([dryRun()], counting())
  expect(await call('change', { hive: 'ML-04' })).toBe(
    'error: Dry run: change was not executed. Its arguments are valid: {"hive":"ML-04"}',
  )
  expect(await call()).toBe('run 1')
})

describe('audit', () => {
  const lines = (file: string): AuditEntry[] =>
    readFileSync(file, 'utf8')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line))

  test('records who, what, the outcome and the size; secrets are masked', async () => {
    const entries: AuditEntry[] = []
    const { call } = await behind([audit({ to: (entry) => void entries.push(entry), withInput: true })], ((input: {
      hive?: string
    }) => {
      if (input.hive === 'no') throw new Refusal('No.')
      if (input.hive === 'broken') throw new Error('Authorization: Bearer abc123secret')
      return 'fine'
    }) as Run)
    await call('change', { hive: 'ML-04', password: 'wax' })
    await call('read', { hive: 'no' })
    await call('read', { hive: 'broken' })
    expect(entries).toMatchObject([
      {
        method: 'tools/call',
        part: 'tool change',
        effect: 'change',
        client: expect.any(String),
        outcome: 'success',
        inputBytes: 33,
        outputBytes: 4,
        input: { hive: 'ML-04', password: '••••' },
      },
      { part: 'tool read', outcome: 'refused', reason: 'No.' },
      { outcome: 'failed', reason: expect.not.stringContaining('abc123secret') },
    ])
    expect(entries[0]?.at).toMatch(/^\d{4}-\d\d-\d\dT/)
  })

  test('writes a file for its owner, rotates it, and syncs a change to disk before the response', async () => {
    jest.useRealTimers()
    const folder = newFolder()
    const file = join(folder, 'calls.audit.jsonl')
    const { call } = await behind([audit({ to: file, maxBytes: 400, keep: 2, isDurable: true })])
    await call('change')
    expect(lines(file).map(({ outcome }) => outcome)).toStrictEqual(['begun', 'success'])
    for (let at = 0; at < 12; at++) await call('change')
    expect(readdirSync(folder).sort()).toStrictEqual([
      'calls.audit.jsonl',
      'calls.audit.jsonl.1',
      'calls.audit.jsonl.2',
    ])
  })

  test.each([
    ['continue', 'x', 1],
    ['refuse', 'error: The call cannot be recorded now, and is refused. Try again later.', 0],
  ] as const)('if it cannot be written, calls %s', async (onFailure, expected, runs) => {
    jest.useRealTimers()
    const file = join(newFolder(), 'calls.jsonl')
    mkdirSync(file)
    const said = jest.spyOn(console, 'error').mockImplementation(() => {})
    let count = 0
    const { call } = await behind([audit({ to: file, onFailure })], () => {
      count++
      return 'x'
    })
    expect([await call('change'), await call('change'), count]).toStrictEqual([expected, expected, runs * 2])
    expect(said).toHaveBeenCalledTimes(1)
    said.mockRestore()
  })
})

test('invalid numbers are refused when the layer is made', () => {
  expect(() => limitRate({ calls: 0 })).toThrow(/"calls" of layer "limitRate".*a positive number/)
  expect(() => timeLimit({ ms: Number.NaN })).toThrow(/a positive number/)
  expect(() => cache({ keepMs: -1 })).toThrow(/a positive number/)
})
