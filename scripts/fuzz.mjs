/**
 * `npm run fuzz`: runs every parser on generated input for a given time, with one process per core, and reports the
 * number of inputs and the slowest. Exits with 1 at the first crash, hang or excessive growth, with the input.
 */
import { fork } from 'node:child_process'
import { mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { availableParallelism, tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { build } from 'esbuild'

const root = fileURLToPath(new URL('..', import.meta.url))
const usage = `Usage: npm run fuzz -- [--minutes 5] [--seed <number>] [--only <parser>]`
const hangMs = 1000
const mostGrowth = 100_000_000

if (process.send) await work()
else await lead()

async function lead() {
  const { values } = parseArgs({
    options: {
      minutes: { type: 'string', default: '5' },
      seed: { type: 'string' },
      only: { type: 'string' },
      help: { type: 'boolean' },
    },
  })
  if (values.help) return console.log(usage)
  const minutes = Number(values.minutes)
  const seed = values.seed === undefined ? Date.now() % 1_000_000 : Number(values.seed)
  if (!(minutes > 0) || !Number.isInteger(seed)) {
    console.error(usage)
    process.exit(2)
  }
  const folder = mkdtempSync(join(tmpdir(), 'jexo-fuzz-'))
  process.on('exit', () => rmSync(folder, { recursive: true, force: true }))
  const bundle = join(folder, 'parsers.mjs')
  symlinkSync(join(root, 'node_modules'), join(folder, 'node_modules'))
  await build({
    entryPoints: [join(root, 'test/hostile/parsers.ts')],
    outfile: bundle,
    bundle: true,
    packages: 'external',
    format: 'esm',
    platform: 'node',
    logLevel: 'error',
  })
  console.log(`Fuzzing for ${minutes} minutes, seed ${seed}. Ctrl-C ends it.`)
  const endsAt = Date.now() + minutes * 60_000
  const totals = new Map()
  const workers = Array.from({ length: availableParallelism() }, (_, at) => start(at))
  process.once('SIGINT', () => {
    report()
    process.exit(130)
  })
  const failed = (await Promise.all(workers)).filter(Boolean)
  report()
  for (const [number, { name, reason, input }] of failed.entries()) {
    const file = join(tmpdir(), `jexo-fuzz-${name.replace(/\W+/g, '-')}-${process.pid}-${number}.txt`)
    writeFileSync(file, input)
    console.error(
      `${name}: ${reason}\n  the input is in ${file}; its beginning: ${JSON.stringify(input.slice(0, 200))}`,
    )
  }
  process.exit(failed.length > 0 ? 1 : 0)

  function report() {
    let all = 0
    for (const [name, { tried, slowestMs }] of totals) {
      all += tried
      console.log(`${name.padEnd(30)} ${String(tried).padStart(9)} inputs, slowest ${slowestMs.toFixed(0)} ms`)
    }
    console.log(`${all.toLocaleString('en-US')} inputs tried`)
  }

  function start(at) {
    const child = fork(
      fileURLToPath(import.meta.url),
      [bundle, String(seed + at * 1_000_003), String(endsAt), values.only ?? ''],
      {
        execArgv: ['--expose-gc', '--max-old-space-size=2000'],
        serialization: 'advanced',
      },
    )
    return new Promise((resolve) => {
      let current
      let watch
      const done = (failure) => {
        clearTimeout(watch)
        child.kill('SIGKILL')
        resolve(failure)
      }
      child.on('message', (message) => {
        if (message.trying) {
          current = message.trying
          clearTimeout(watch)
          // A hanging process cannot report; this process does.
          watch = setTimeout(() => done({ ...current, reason: `no answer for ${20 * hangMs} ms` }), 20 * hangMs)
        } else if (message.tried) {
          const { name, tried, slowestMs } = message.tried
          const known = totals.get(name) ?? { tried: 0, slowestMs: 0 }
          totals.set(name, { tried: known.tried + tried, slowestMs: Math.max(known.slowestMs, slowestMs) })
        } else done(message.failure)
      })
      child.on('exit', (code, signal) =>
        done(
          code === 0
            ? undefined
            : { ...(current ?? { name: 'all', input: '' }), reason: `the process ended with ${signal ?? code}` },
        ),
      )
    })
  }
}

async function work() {
  const [bundle, seed, endsAt, only] = process.argv.slice(2)
  const { default: fc } = await import('fast-check')
  const { parserTargets } = await import(bundle)
  const targets = parserTargets.filter(({ name }) => only === '' || name === only)
  let round = Number(seed) % 2_000_000_000
  let base = 0
  // Each process starts with another parser, so that a fault in one does not keep the others from being tried.
  const from = round % targets.length
  for (let turn = 0; Date.now() < Number(endsAt); turn++) {
    for (const { name, inputs, run } of [...targets.slice(from), ...targets.slice(0, from)]) {
      if (Date.now() >= Number(endsAt)) break
      let tried = 0
      let slowestMs = 0
      // Parsers take turns of equal time, so that a fast parser gets more inputs.
      const until = performance.now() + 400
      while (performance.now() < until) {
        // The seed to generate these inputs again, in case one of them hangs.
        process.send({ trying: { name, input: `seed ${round}` } })
        for (const input of fc.sample(inputs, { numRuns: 50, seed: round++ })) {
          const start = performance.now()
          try {
            run(input)
          } catch (error) {
            return process.send({ failure: { name, input, reason: String(error?.stack ?? error) } })
          }
          const tookMs = performance.now() - start
          tried++
          slowestMs = Math.max(slowestMs, tookMs)
          if (tookMs > hangMs)
            return process.send({ failure: { name, input, reason: `took ${tookMs.toFixed(0)} ms` } })
        }
      }
      process.send({ tried: { name, tried, slowestMs } })
    }
    globalThis.gc?.()
    const { heapUsed } = process.memoryUsage()
    // The first rounds fill caches.
    if (turn === 2) base = heapUsed
    if (turn > 2 && heapUsed - base > mostGrowth) {
      const reason = `the heap grew from ${base} to ${heapUsed} bytes`
      return process.send({ failure: { name: 'all', input: '', reason } })
    }
  }
  process.send({ tried: { name: targets[0].name, tried: 0, slowestMs: 0 } }, () => process.exit(0))
}
