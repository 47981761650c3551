/**
 * `npm run perf`: medians and ratios; each pair is measured in the same run, interleaved. Throughput varies on shared
 * machines, so the server's CPU time per call is measured too. `--check` compares CPU ratios with `baseline.json`;
 * `--curves` draws how costs grow.
 */
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { check } from './check.mjs'
import { heapOver, latencies } from './load.mjs'
import { call, hello, measureHttp, measureStdio, median, roundTrips, session, start } from './measure.mjs'
import { startRedis, throughputOf } from './several.mjs'

const isQuick = process.argv.includes('--quick')
const rounds = isQuick ? 3 : 7
const seconds = isQuick ? 1 : 3
const rows = []
const progress = (text) => process.stderr.write(`${text} …\n`)

const medians = ({ rates, cpus }) => ({ rate: median(rates), cpu: median(cpus) })

async function comparedOverHttp(name, wanted, kinds, body, connections) {
  progress(name)
  const { sides, total } = await measureHttp(kinds, body, { connections, rounds, seconds })
  compared(name, wanted, sides.map(medians))
  return total
}

async function comparedOverStdio(underWay, wanted) {
  const name = `stdio round trips, ${underWay} under way`
  progress(name)
  const sides = await measureStdio(underWay, { count: isQuick ? 3000 : 10_000, rounds })
  compared(name, wanted, sides.map(medians))
}

function compared(name, wanted, [own, bare]) {
  rows.push([
    name,
    `${own.rate.toFixed(0)}/s`,
    bare ? `${bare.rate.toFixed(0)}/s` : '',
    bare ? (own.rate / bare.rate).toFixed(2) : '',
    wanted,
  ])
  rows.push([
    `  server's CPU a call`,
    `${own.cpu.toFixed(0)} µs`,
    bare ? `${bare.cpu.toFixed(0)} µs` : '',
    bare ? (bare.cpu / own.cpu).toFixed(2) : '',
    wanted,
  ])
}

async function coldStart() {
  progress('cold start')
  const folder = mkdtempSync(join(tmpdir(), 'jexo-perf-'))
  const jexo = fileURLToPath(new URL('../bin/jexo.mjs', import.meta.url))
  await untilEnd([jexo, 'pack', fileURLToPath(new URL('./kit.mjs', import.meta.url)), '--out', folder])
  const file = join(folder, 'kit.mjs')
  const times = { own: [], bare: [] }
  for (let round = 0; round < (isQuick ? 5 : 15); round++) {
    times.own.push(await firstAnswer(file))
    times.bare.push(await untilEnd(['-e', '0']))
  }
  rmSync(folder, { recursive: true })
  const [own, bare] = [median(times.own), median(times.bare)]
  rows.push([
    'cold start of a packed kit to its first answer',
    `${own.toFixed(0)} ms`,
    `${bare.toFixed(0)} ms`,
    `+${(own - bare).toFixed(0)} ms`,
    '≤ +50 ms',
  ])
}

function firstAnswer(file) {
  const startedAt = performance.now()
  const child = spawn(process.execPath, [file], { stdio: ['pipe', 'pipe', 'ignore'] })
  child.stdin.write(`${JSON.stringify(hello)}\n`)
  return new Promise((resolve) => {
    child.stdout.once('data', () => {
      resolve(performance.now() - startedAt)
      child.kill('SIGKILL')
    })
  })
}

function untilEnd(args) {
  const startedAt = performance.now()
  const child = spawn(process.execPath, args, { stdio: 'ignore' })
  return new Promise((resolve) => child.once('close', () => resolve(performance.now() - startedAt)))
}

async function heapOfSessions() {
  progress('heap of idle sessions')
  const { child, next, ask } = start('jexo-http')
  const { url } = await next()
  for (let index = 0; index < 50; index++) await session(url)
  const before = (await ask('heap')).heapBytes
  const count = 2000
  for (let index = 0; index < count; index += 20) await Promise.all(Array.from({ length: 20 }, () => session(url)))
  const after = (await ask('heap')).heapBytes
  child.kill()
  rows.push([
    'heap of an idle session, over 2,000',
    `${((after - before) / count / 1024).toFixed(1)} kB`,
    '',
    '',
    '≤ 2 kB',
  ])
}

async function growth() {
  const calls = isQuick ? 20_000 : 1_000_000
  progress(`heap over ${calls.toLocaleString('en')} calls`)
  const { before, after } = await heapOver(calls)
  rows.push([
    `heap after ${calls.toLocaleString('en')} calls`,
    `${(after / 1e6).toFixed(1)} MB`,
    `${(before / 1e6).toFixed(1)} MB before`,
    (after / before).toFixed(2),
    'no growth',
  ])
}

async function latency() {
  progress('latency at half load')
  const { rate, p99s } = await latencies(isQuick ? 3 : 7, seconds)
  const [own, bare] = p99s
  rows.push([
    `99th percentile at half load (${rate}/s)`,
    `${own} ms`,
    `${bare} ms`,
    (bare / Math.max(own, 1)).toFixed(2),
    '≤ 2× bare',
  ])
}

/**
 * 200 functions in 40 files: read for the first time, and from the cache, compared with a TypeScript check of the same
 * files.
 */
async function planning() {
  progress('planning of a module')
  const folder = mkdtempSync(join(tmpdir(), 'jexo-perf-'))
  const entry = join(folder, 'index.ts')
  const numbers = Array.from({ length: 40 }, (_, index) => index)
  for (const number of numbers) writeFileSync(join(folder, `part${number}.ts`), sourceOf(number))
  writeFileSync(entry, numbers.map((number) => `export * from './part${number}.ts'\n`).join(''))
  const plan = fileURLToPath(new URL('./plan.mjs', import.meta.url))
  const times = { cold: [], again: [], bare: [] }
  for (let round = 0; round < (isQuick ? 2 : 5); round++) {
    // The cache is in the folder for temporary files; an empty one makes the next run a cold start.
    const temporary = mkdtempSync(join(folder, 'tmp-'))
    const run = async (kind) => Number(await output([plan, kind, entry], { ...process.env, TMPDIR: temporary }))
    times.cold.push(await run('own'))
    times.again.push(await run('own'))
    times.bare.push(await run('bare'))
  }
  rmSync(folder, { recursive: true })
  const [cold, again, bare] = [median(times.cold), median(times.again), median(times.bare)]
  rows.push([
    'plan of 200 functions in 40 files, beside tsc',
    `${cold.toFixed(0)} ms`,
    `${bare.toFixed(0)} ms`,
    (bare / cold).toFixed(2),
    '≤ 3,000 ms',
  ])
  rows.push(['  when nothing has changed', `${again.toFixed(0)} ms`, '', '', '≤ 150 ms'])
}

/** 20,000 pages of about two kilobytes: indexing compared with reading, and searching. */
async function searched() {
  progress('Indexing 20,000 files')
  const folder = mkdtempSync(join(tmpdir(), 'jexo-perf-'))
  const words = Array.from({ length: 9000 }, (_, at) => `w${(at * 7919).toString(36)}`)
  let state = 7
  const random = () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return state / 4_294_967_296
  }
  const line = () => Array.from({ length: 12 }, () => words[Math.floor(random() ** 2 * words.length)]).join(' ')
  for (let at = 0; at < 20_000; at++) {
    const sections = Array.from(
      { length: 3 },
      (_, part) => `## Part ${part}\n\n${line()}\n${line()}\nhoney ${line()}\n${line()}\n`,
    )
    writeFileSync(join(folder, `page-${at}.md`), `# Page ${at}\n\n${sections.join('\n')}`)
  }
  const search = fileURLToPath(new URL('./search.mjs', import.meta.url))
  const own = []
  const bare = []
  for (let round = 0; round < (isQuick ? 1 : 3); round++) {
    own.push(JSON.parse(await output([search, 'own', folder], process.env)))
    bare.push(JSON.parse(await output([search, 'bare', folder], process.env))[0])
  }
  rmSync(folder, { recursive: true })
  const [indexed, usual, slowest, bytes] = [0, 1, 2, 3].map((at) => median(own.map((times) => times[at])))
  const read = median(bare)
  rows.push([
    'index of 20,000 files, beside reading them',
    `${indexed.toFixed(0)} ms`,
    `${read.toFixed(0)} ms`,
    (read / indexed).toFixed(2),
    '≤ 20,000 ms',
  ])
  rows.push([
    '  a search in it: median, slowest',
    `${usual.toFixed(1)} ms, ${slowest.toFixed(1)} ms`,
    '',
    '',
    '≤ 50 ms',
  ])
  rows.push(['  memory of the process then', `${(bytes / 1e6).toFixed(0)} MB`, '', '', ''])
}

const bin = fileURLToPath(new URL('../bin/jexo.mjs', import.meta.url))
const relayedKit = fileURLToPath(new URL('./relayed.kit.mjs', import.meta.url))
const bareRelay = fileURLToPath(new URL('./bare-relay.mjs', import.meta.url))

/** Calls through an intermediate process, compared with direct calls and with a process that only passes bytes. */
async function through(name, words, underWay, wanted) {
  progress(name)
  const count = (isQuick ? 1000 : 5000) * (underWay === 1 ? 1 : 3)
  const direct = [bin, 'serve', relayedKit]
  const sides = [[bin, ...words], direct, [bareRelay, ...direct]].map((args) => ({
    child: spawn(process.execPath, args, { stdio: ['pipe', 'pipe', 'ignore'] }),
    rates: [],
  }))
  for (let round = 0; round <= rounds; round++) {
    for (const { child, rates } of sides) {
      if (round === 0) await roundTrips(child, [hello], 1, true)
      const startedAt = performance.now()
      await roundTrips(
        child,
        Array.from({ length: count }, (_, id) => call(id + 1)),
        underWay,
      )
      if (round > 0) rates.push((count * 1000) / (performance.now() - startedAt))
    }
  }
  for (const { child } of sides) child.stdin.end()
  const [own, bare, passing] = sides.map(({ rates }) => median(rates))
  rows.push([name, `${own.toFixed(0)}/s`, `${bare.toFixed(0)}/s`, (own / bare).toFixed(2), ''])
  rows.push([
    '  beside a process that only passes bytes',
    '',
    `${passing.toFixed(0)}/s`,
    (own / passing).toFixed(2),
    '',
  ])
  if (wanted) rows.push(['  added to a call', `+${(1000 / own - 1000 / bare).toFixed(2)} ms`, '', '', wanted])
}

async function measureRelay() {
  const folder = mkdtempSync(join(tmpdir(), 'jexo-perf-'))
  const words = ['relay', relayedKit, '--tape', join(folder, 'perf.tape.jsonl')]
  await through('stdio through the relay, recorded, one call at a time', words, 1)
  await through('the same, 16 calls at a time', words, 16)
  rmSync(folder, { recursive: true, force: true })
  const behind = `exec:${process.execPath} ${bin} serve ${relayedKit}`
  await through('stdio to a wrapped server', ['serve', behind], 1, '≤ 0.3 ms')
}

/** A real description with over a thousand operations, compared with parsing its JSON. */
async function plannedApi() {
  progress('planning of an API')
  const plan = fileURLToPath(new URL('./plan.mjs', import.meta.url))
  const file = fileURLToPath(
    new URL('../node_modules/@octokit/openapi/generated/api.github.com.json', import.meta.url),
  )
  const times = { own: [], bare: [] }
  for (let round = 0; round < (isQuick ? 2 : 5); round++) {
    times.own.push(Number(await output([plan, 'api', file], process.env)))
    times.bare.push(Number(await output([plan, 'json', file], process.env)))
  }
  const [own, bare] = [median(times.own), median(times.bare)]
  rows.push([
    'plan of an API with 1,223 operations, beside JSON.parse',
    `${own.toFixed(0)} ms`,
    `${bare.toFixed(0)} ms`,
    (bare / own).toFixed(2),
    '≤ 3,000 ms',
  ])
}

function sourceOf(file) {
  const type = `export interface Thing${file} { id: number; name: string; at: Date; tags: string[]; parent?: Thing${file} }\n`
  const functions = [0, 1, 2, 3, 4].map(
    (number) => `/**
 * Does thing ${number} of ${file}.
 * @param thing The thing.
 * @param most How many at most.
 */
export function work${file}x${number}(thing: Thing${file}, most = 5, kind: 'a' | 'b' = 'a'): { thing: Thing${file}; count: number; kind: string } {
  return { thing, count: most, kind }
}
`,
  )
  return type + functions.join('')
}

function output(args, env) {
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'], env })
  let text = ''
  child.stdout.on('data', (chunk) => {
    text += chunk
  })
  return new Promise((resolve) => child.once('close', () => resolve(text)))
}

/** Sessions in Redis compared with sessions in memory, and their memory use. */
async function sharedSessions() {
  const redis = await startRedis()
  if (!redis) return rows.push(['sessions in Redis', 'no redis-server here', '', '', ''])
  const name = '  with sessions in Redis, against in memory'
  const before = await redis.scripts()
  const kinds = [['jexo-redis', redis.url], ['jexo-http']]
  const requests = await comparedOverHttp(name, '', kinds, call, 16)
  const trips = ((await redis.scripts()) - before) / requests
  rows.push(['  round trips to Redis a request', trips.toFixed(2), '', '', '≤ 2'])
  progress('10,000 sessions in Redis')
  const sides = [1, 2, 3].map(() => start('jexo-redis', redis.url))
  const urls = await Promise.all(sides.map(async ({ next }) => (await next()).url))
  const empty = await redis.usedBytes()
  const count = isQuick ? 2000 : 10_000
  for (let at = 0; at < count; at += 50)
    await Promise.all(Array.from({ length: 50 }, (_, more) => session(urls[(at + more) % 3])))
  const megabytes = (((await redis.usedBytes()) - empty) / 1e6) * (10_000 / count)
  rows.push(['10,000 sessions of three processes in Redis', `${megabytes.toFixed(1)} MB`, '', '', '≤ 50 MB'])
  for (const { child } of sides) child.kill()
  redis.end()
}

async function workers() {
  progress('two processes beside one')
  const [two, one] = (await throughputOf([2, 1], isQuick ? 2 : 5, seconds, session)).map(median)
  rows.push([
    'a tool that computes for 5 ms: two processes, one',
    `${two.toFixed(0)}/s`,
    `${one.toFixed(0)}/s`,
    (two / one).toFixed(2),
    '≥ 1.70',
  ])
}

if (process.argv.includes('--check')) process.exit(await check(progress))
if (process.argv.includes('--curves')) {
  const { drawCurves } = await import('./curves.mjs')
  await drawCurves(process.argv.slice(process.argv.indexOf('--curves') + 1), progress)
  process.exit(0)
}
if (process.argv.includes('--several')) {
  await sharedSessions()
  await workers()
  show()
}
await comparedOverHttp('HTTP tools/call, 16 connections', '≥ 0.90', [['jexo-http'], ['bare-http']], call, 16)
await comparedOverHttp(
  '  with a checked token and a layer',
  '≥ 0.85',
  [['jexo-access', '1', '1'], ['bare-http']],
  call,
  16,
)
await comparedOverHttp('  through ten layers, against none', '≤ 20 µs', [['jexo-layers'], ['jexo-http']], call, 16)
await sharedSessions()
await workers()
await comparedOverStdio(1, '≥ 0.92')
await comparedOverStdio(16, '≥ 0.95')
await latency()
await measureRelay()
await coldStart()
await heapOfSessions()
await comparedOverHttp(
  'tools/list of 1,000 tools',
  '',
  [['jexo-http', '1000']],
  (id) => ({ jsonrpc: '2.0', id, method: 'tools/list' }),
  4,
)
await planning()
await plannedApi()
await searched()
await growth()

show()

function show() {
  const widths = [0, 1, 2, 3, 4].map((column) =>
    Math.max(...[['', 'Jexo', 'bare', 'ratio', 'to reach'], ...rows].map((row) => row[column].length)),
  )
  for (const row of [['', 'Jexo', 'bare', 'ratio', 'to reach'], ...rows]) {
    process.stdout.write(
      `${row.map((cell, column) => (column === 0 ? cell.padEnd(widths[0]) : cell.padStart(widths[column]))).join('  ')}\n`,
    )
  }
  process.exit(0)
}
