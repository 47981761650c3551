/**
 * `npm run chaos`: servers behind a proxy, with calls, streams, questions and tasks, while processes are killed and the
 * store fails. Counts answered, refused and lost calls. Exits with 1 if a call was lost, or was executed twice without
 * an error.
 */
import { readFileSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { connect } from '../../dist/node.js'
import { pause, world } from './world.mjs'

const usage = 'Usage: npm run chaos -- [--quick] [--rate <calls a second>] [--verbose]'
const { values } = parseArgs({
  options: {
    quick: { type: 'boolean' },
    rate: { type: 'string', default: '200' },
    verbose: { type: 'boolean' },
    help: { type: 'boolean' },
  },
})
if (values.help) {
  console.log(usage)
  process.exit(0)
}
const rate = Number(values.rate)
const hosts = 10
const ticksEach = 100
const unit = values.quick ? 0.3 : 1
const givenUpMs = 90_000

const started = Date.now()
const log = (text) => process.stderr.write(`${((Date.now() - started) / 1000).toFixed(1).padStart(6)} s  ${text}\n`)

const it = await world(3)
process.once('SIGINT', () => void it.end().then(() => process.exit(130)))

const kinds = ['weigh', 'count', 'move', 'ask', 'tick', 'survey', 'harvest']
const counts = Object.fromEntries(
  kinds.map((kind) => [kind, { asked: 0, answered: 0, refused: 0, wrong: 0, lost: 0, longestMs: 0 }]),
)
const refusals = new Map()
const progressFaults = []
const ticks = new Map()
const answeredTicks = []
const open = new Set()
let number = 0

const links = await Promise.all(
  Array.from({ length: hosts }, async (_, at) => {
    const link = await connect(it.url, {
      onQuestion: async ({ message }) => ({ action: 'accept', content: { hive: message.slice(0, 20) } }),
    })
    link.on('resourceUpdated', ({ uri }) => ticks.set(uri, (ticks.get(uri) ?? 0) + 1))
    for (let tick = 0; tick < ticksEach; tick++) await link.subscribe(`ticks://${at}-${tick}`)
    return { link, ticked: 0, at }
  }),
)
log(`${hosts} hosts are connected, each with ${ticksEach} subscriptions and a standing stream`)

/** One call, from start to its known outcome. */
async function once(kind) {
  const host = links[number % hosts]
  const isTick = kind === 'tick'
  if (isTick && host.ticked >= ticksEach) return
  const key = isTick ? `${host.at}-${host.ticked++}` : `k${number}`
  number++
  const count = counts[kind]
  const begun = Date.now()
  count.asked++
  open.add(key)
  const seen = []
  try {
    const work =
      kind === 'survey' || kind === 'harvest'
        ? host.link.start(kind, { key }, { ttlMs: 600_000 }).then((task) => task.result())
        : host.link.call(kind, { key }, { onProgress: ({ progress }) => seen.push(progress) })
    const result = await Promise.race([work, pause(givenUpMs).then(() => 'lost')])
    if (result === 'lost') count.lost++
    else if (result.isError) refuse(kind, result.content[0]?.text)
    else if (!result.content[0]?.text.includes(key)) count.wrong++
    else {
      count.answered++
      if (isTick) answeredTicks.push(`ticks://${key}`)
      const isWhole = seen.every((step, before) => before === 0 || step > seen[before - 1])
      if (kind === 'count' && !isWhole) progressFaults.push(seen)
    }
  } catch (error) {
    refuse(kind, error.problem ?? error.message)
  }
  open.delete(key)
  count.longestMs = Math.max(count.longestMs, Date.now() - begun)
}

function refuse(kind, reason) {
  counts[kind].refused++
  const said = `${kind}: ${String(reason)
    .replaceAll(/\b[0-9a-f-]{8,}\b|k\d+|127\.0\.0\.1:\d+|10\.77\.0\.2:\d+/g, '…')
    .slice(0, 150)}`
  refusals.set(said, (refusals.get(said) ?? 0) + 1)
}

/** Percentages. */
const mix = [
  ...Array(52).fill('weigh'),
  ...Array(20).fill('count'),
  ...Array(12).fill('move'),
  ...Array(6).fill('ask'),
  ...Array(4).fill('tick'),
  ...Array(3).fill('survey'),
  ...Array(3).fill('harvest'),
]
let isLoaded = true
const calls = []
const load = (async () => {
  const begun = Date.now()
  for (let sent = 0; isLoaded; sent++) {
    calls.push(once(mix[(sent * 37) % mix.length]))
    const due = begun + (sent * 1000) / rate
    if (due > Date.now()) await pause(due - Date.now())
  }
})()

await pause(5000 * unit)
log('a process is killed every two seconds, in turn')
for (let kill = 0; kill < 9 * unit; kill++) {
  it.kill(kill % 3)
  await pause(2000)
}
await pause(4000 * unit)
log('Redis is restarted')
await it.restartRedis()
await pause(8000 * unit)
log('Redis is paused for ten seconds')
await it.pauseRedis(10_000 * unit)
await pause(8000 * unit)
if (it.canCut) {
  log('the network between the processes and Redis is cut for five seconds')
  await it.cutRedis(5000 * unit)
  await pause(8000 * unit)
} else log('the network cannot be cut here: that needs the right to make namespaces')
isLoaded = false
await load
log(`${number} calls were started; waiting for the open ones`)
await it.allReady()
await Promise.all(calls)
await pause(3000)

const lines = readFileSync(it.ledger, 'utf8').trim().split('\n')
const twice = (kind) => {
  const done = lines.filter((line) => line.startsWith(`${kind} `))
  return done.length - new Set(done).size
}
const missedTicks = answeredTicks.filter((uri) => !ticks.has(uri)).length
const doubledTicks = [...ticks.values()].filter((count) => count > 1).length
console.log('call      asked  answered  refused  wrong  lost  done twice  longest ms')
for (const kind of kinds) {
  const { asked, answered, refused, wrong, lost, longestMs } = counts[kind]
  const cells = [asked, answered, refused, wrong, lost, twice(kind), longestMs]
  const widths = [5, 9, 8, 6, 5, 11, 11]
  console.log(kind.padEnd(9) + cells.map((cell, at) => String(cell).padStart(widths[at] + 1)).join(''))
}
console.log(
  `\nupdates: ${answeredTicks.length} were sent, ${missedTicks} were lost, ${doubledTicks} were duplicated`,
)
console.log(`progress: ${progressFaults.length} calls received it out of order or twice`)
console.log(`memory of Redis: ${await memory()}`)
if (refusals.size > 0)
  console.log(
    `\nrefusals:\n${[...refusals].map(([said, count]) => `${String(count).padStart(6)}  ${said}`).join('\n')}`,
  )
if (values.verbose) console.log(`\n${it.said.join('')}`)
for (const { link } of links) await link.close().catch(() => {})
await it.end()
const all = Object.values(counts)
const isWell =
  all.every(({ wrong, lost }) => wrong + lost === 0) &&
  kinds.every((kind) => twice(kind) === 0 || kind === 'harvest') &&
  missedTicks + doubledTicks + progressFaults.length === 0
process.exit(isWell ? 0 : 1)

async function memory() {
  const { Redis } = await import('ioredis')
  const redis = new Redis({ host: it.redisHost, port: it.redisPort })
  const found = /used_memory_human:(\S+)/.exec(await redis.info('memory'))?.[1]
  redis.disconnect()
  return found ?? 'unknown'
}
