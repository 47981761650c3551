/**
 * Cost and gain of several processes: throughput of two, a store in Redis compared with memory, and the size of
 * sessions in the store.
 */
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import autocannon from 'autocannon'
import { Redis } from 'ioredis'

const pause = (ms) => new Promise((go) => setTimeout(go, ms))
const freePort = () =>
  new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address()
      probe.close(() => resolve(port))
    })
  })

/** A Redis server for this run; undefined if it is not installed. */
export async function startRedis() {
  const port = await freePort()
  const folder = mkdtempSync(join(tmpdir(), 'jexo-perf-'))
  const flags = ['--port', String(port), '--bind', '127.0.0.1', '--dir', folder, '--save', '']
  const child = spawn(process.env.JEXO_REDIS ?? 'redis-server', flags, { stdio: 'ignore' })
  const isThere = await Promise.race([
    new Promise((resolve) => child.once('error', () => resolve(false))),
    pause(300).then(() => true),
  ])
  if (!isThere) return undefined
  const client = new Redis(port)
  return {
    url: `redis://127.0.0.1:${port}`,
    client,
    usedBytes: async () => Number(/used_memory:(\d+)/.exec(await client.info('memory'))?.[1]),
    /** Number of scripts executed; each is one round trip. */
    scripts: async () => Number(/cmdstat_evalsha:calls=(\d+)/.exec(await client.info('commandstats'))?.[1] ?? 0),
    end: () => {
      client.disconnect()
      child.kill('SIGKILL')
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

const call = { jsonrpc: '2.0', id: 1, method: 'tools/call', params: { name: 'compute', arguments: {} } }

/** Calls per second with a number of processes, in turns. */
export async function throughputOf(counts, rounds, seconds, session) {
  const jexo = fileURLToPath(new URL('../bin/jexo.mjs', import.meta.url))
  const kit = fileURLToPath(new URL('./busy.kit.mjs', import.meta.url))
  const sides = []
  for (const count of counts) {
    const args = [jexo, 'serve', kit, '--http', '0', '--workers', String(count)]
    const child = spawn(process.execPath, args, { stdio: ['ignore', 'ignore', 'pipe'] })
    const url = await new Promise((resolve) => {
      let said = ''
      child.stderr.on('data', (chunk) => {
        said += chunk
        const found = /at (http\S+), \d/.exec(said)
        if (found) resolve(found[1])
      })
    })
    sides.push({ child, url, headers: await session(url), rates: [] })
  }
  for (let round = 0; round <= rounds; round++)
    for (const { url, headers, rates } of sides) {
      const { requests } = await autocannon({
        ...{ url, connections: 16, duration: seconds },
        requests: [{ method: 'POST', headers, setupRequest: numbered }],
      })
      if (round > 0) rates.push(requests.average)
    }
  for (const { child } of sides) child.kill('SIGTERM')
  return sides.map(({ rates }) => rates)
}

let id = 1
const numbered = (request) => ({ ...request, body: JSON.stringify({ ...call, id: id++ }) })
