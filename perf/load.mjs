/** Behaviour under load: latency at half of the maximum rate, and heap size over many calls. */
import autocannon from 'autocannon'
import { call, json, median, session, start } from './measure.mjs'

async function serverOf(kind) {
  const side = start(kind)
  const { url } = await side.next()
  const headers = kind.startsWith('jexo') ? await session(url) : json
  let id = 1
  const setupRequest = (request) => ({ ...request, body: JSON.stringify(call(id++)) })
  const load = (options) =>
    autocannon({ url, connections: 16, ...options, requests: [{ method: 'POST', headers, setupRequest }] })
  return { ...side, load }
}

/** The 99th percentile at half load, in milliseconds, of Jexo and of the bare handler. */
export async function latencies(rounds, seconds) {
  const sides = [await serverOf('jexo-http'), await serverOf('bare-http')]
  const most = await sides[0].load({ duration: seconds })
  await sides[1].load({ duration: seconds })
  const rate = Math.floor(most.requests.average / 2)
  const found = [[], []]
  for (let round = 0; round < rounds; round++)
    for (const [at, side] of sides.entries())
      found[at].push((await side.load({ duration: seconds, overallRate: rate })).latency.p99)
  for (const { child } of sides) child.kill()
  return { rate, p99s: found.map(median) }
}

/** Heap size after so many calls, and after the first 20,000, in bytes. */
export async function heapOver(calls) {
  const { child, ask, load } = await serverOf('jexo-http')
  await load({ amount: 20_000 })
  const before = (await ask('heap')).heapBytes
  await load({ amount: calls })
  const after = (await ask('heap')).heapBytes
  child.kill()
  return { before, after }
}
