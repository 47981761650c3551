/**
 * `npm run perf -- --curves`: how the cost of a call grows with tools, sessions, the size of results and processes, as plots in
 * `docs/performance/`. Each point is the median of short rounds, in turns with the bare handler.
 */
import { mkdirSync, writeFileSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import * as vega from 'vega'
import { compile } from 'vega-lite'
import { call, measureHttp, median, session } from './measure.mjs'
import { throughputOf } from './several.mjs'

const folder = fileURLToPath(new URL('../docs/performance/', import.meta.url))
const load = { connections: 16, rounds: 5, amount: 3000 }

const perCall = 'µs of CPU a call'
const curves = {
  tools: { title: 'Tools in the kit', measure: perCall, measured: byTools, isLogX: true },
  sessions: { title: 'Open sessions', measure: perCall, measured: bySessions, isLogX: true },
  size: { title: 'Characters in a result', measure: perCall, measured: bySize, isLogX: true, isLogY: true },
  processes: { title: 'Processes, with 5 ms of work a call', measure: 'calls a second', measured: byProcesses },
}

/** Measures and draws the named curves, such as `tools`; all of them if none is named. */
export async function drawCurves(names, progress) {
  mkdirSync(folder, { recursive: true })
  for (const [name, curve] of Object.entries(curves))
    if (names.length === 0 || names.includes(name)) await draw(name, curve, await curve.measured(progress))
}

const cpuOf = ({ cpus }) => median(cpus)

async function byTools(progress) {
  const points = []
  for (const tools of [1, 10, 100, 1000, 5000]) {
    progress(`${tools} tools`)
    const { sides } = await measureHttp([['jexo-http', String(tools)], ['bare-http']], call, load)
    points.push(...pair(tools, sides))
  }
  return points
}

async function bySessions(progress) {
  const points = []
  for (const sessions of [1, 10, 100, 1000, 10_000]) {
    progress(`${sessions} sessions`)
    const opened = (url) => openSessions(url, sessions - 1)
    const { sides } = await measureHttp([['jexo-http'], ['bare-http']], call, { ...load, opened })
    points.push(...pair(sessions, sides))
  }
  return points
}

async function openSessions(url, count) {
  for (let at = 0; at < count; at += 50)
    await Promise.all(Array.from({ length: Math.min(50, count - at) }, () => session(url)))
}

async function bySize(progress) {
  const points = []
  for (const characters of [100, 1000, 10_000, 100_000, 1_000_000]) {
    progress(`${characters} characters`)
    const amount = Math.max(200, Math.min(3000, 30_000_000 / characters))
    const args = ['1', '10', String(characters)]
    const kinds = [
      ['jexo-http', ...args],
      ['bare-http', ...args],
    ]
    const { sides } = await measureHttp(kinds, call, { ...load, amount: Math.round(amount) })
    points.push(...pair(characters, sides))
  }
  return points
}

async function byProcesses(progress) {
  const counts = [1, 2, 4].filter((count) => count <= 2 * availableParallelism())
  progress(`${counts.join(', ')} processes`)
  const rates = await throughputOf(counts, 4, 2, session)
  return counts.map((count, at) => ({
    x: count,
    y: Math.round(median(rates[at])),
    of: 'Jexo',
  }))
}

const pair = (x, [own, bare]) => [
  { x, y: cpuOf(own), of: 'Jexo' },
  { x, y: cpuOf(bare), of: 'bare handler' },
]

/** Tick values of a logarithmic axis. */
const decades = [1, 10, 100, 1e3, 1e4, 1e5, 1e6]

async function draw(name, { title, measure, isLogX = false, isLogY = false }, values) {
  const places = [...new Set(values.map(({ x }) => x))]
  const quantity = (field, isLog, own, ticks) => ({
    ...{ field, type: 'quantitative', scale: { type: isLog ? 'log' : 'linear' } },
    axis: { title: own, format: ',d', ...(ticks ? { values: ticks } : {}) },
  })
  const series = { field: 'of', type: 'nominal', title: null }
  const { spec } = compile({
    ...{ width: 420, height: 240, background: 'white', data: { values } },
    mark: { type: 'line', point: true },
    encoding: {
      x: quantity('x', isLogX, title, places),
      y: quantity('y', isLogY, measure, isLogY && decades),
      color: { ...series, scale: { range: ['#1f5f8b', '#b0620b'] } },
      strokeDash: series,
    },
  })
  const svg = await new vega.View(vega.parse(spec), { renderer: 'none' }).toSVG()
  writeFileSync(`${folder}${name}.svg`, `${svg}\n`)
  for (const { x, y, of } of values) console.log(`${title} ${x}: ${of} ${y.toFixed(1)} ${measure}`)
}
