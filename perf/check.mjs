/**
 * `npm run perf -- --check`: fails if the CPU time of a call, relative to the bare handler, exceeds the committed
 * baseline by more than a tenth.
 */
import { readFileSync, writeFileSync } from 'node:fs'
import { call, measureHttp, measureStdio } from './measure.mjs'

const file = new URL('./baseline.json', import.meta.url)
const tolerance = 0.9
const tries = 3

/** Uses the cheapest of many short rounds of each side, since other load on the machine only adds to a round. */
const ratioOf = ([own, bare]) => Math.min(...bare.cpus) / Math.min(...own.cpus)
const http = { connections: 16, rounds: 12, amount: 2000 }
const kinds = [['jexo-http'], ['bare-http']]

const measures = {
  'HTTP tools/call, 16 connections': async () => ratioOf((await measureHttp(kinds, call, http)).sides),
  'stdio, 1 under way': async () => ratioOf(await measureStdio(1, { count: 1000, rounds: 12 })),
  'stdio, 16 under way': async () => ratioOf(await measureStdio(16, { count: 3000, rounds: 12 })),
}

/** Prints each ratio beside its baseline; returns an exit code. `--write` makes the figures of this run the baseline. */
export async function check(progress) {
  const baseline = JSON.parse(readFileSync(file, 'utf8'))
  const found = {}
  let failed = 0
  for (const [name, measure] of Object.entries(measures)) {
    const least = baseline[name] * tolerance
    for (let at = 0; at < tries && !(found[name] >= least); at++) {
      progress(`${name}${at > 0 ? `, try ${at + 1}` : ''}`)
      found[name] = Math.max(found[name] ?? 0, await measure())
    }
    const isFine = found[name] >= least
    if (!isFine) failed++
    console.log(`${isFine ? '✓' : '✗'} ${name}: CPU ratio ${found[name].toFixed(2)}, baseline ${baseline[name]}`)
  }
  if (process.argv.includes('--write')) {
    const rounded = Object.fromEntries(
      Object.entries(found).map(([name, ratio]) => [name, Number(ratio.toFixed(2))]),
    )
    writeFileSync(file, `${JSON.stringify(rounded, null, 2)}\n`)
    return 0
  }
  if (failed > 0)
    console.log(
      'A call costs more CPU than before. Profile it; if it has to, say why and commit a new baseline: npm run perf -- --check --write',
    )
  return failed > 0 ? 1 : 0
}
