/** Tools for the benchmarks: servers under load in turns, and their CPU time per call. */
import { fork } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import autocannon from 'autocannon'
import { input } from './kit.mjs'

const server = fileURLToPath(new URL('./server.mjs', import.meta.url))
export const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)]

export const hello = {
  jsonrpc: '2.0',
  id: 0,
  method: 'initialize',
  params: { protocolVersion: '2025-11-25', capabilities: {}, clientInfo: { name: 'perf', version: '1' } },
}
export const initialized = { jsonrpc: '2.0', method: 'notifications/initialized' }
export const call = (id) => ({
  jsonrpc: '2.0',
  id,
  method: 'tools/call',
  params: { name: 'weigh_hive', arguments: input },
})
export const json = { 'content-type': 'application/json', accept: 'application/json, text/event-stream' }

export function start(kind, ...args) {
  const child = fork(server, [kind, ...args], { execArgv: ['--expose-gc'], silent: true })
  const next = () => new Promise((resolve) => child.once('message', resolve))
  const ask = (what) => {
    const answer = next()
    child.send(what)
    return answer
  }
  return { child, next, ask }
}

export async function session(url, token) {
  const sent = token === undefined ? json : { ...json, authorization: `Bearer ${token}` }
  const answer = await fetch(url, { method: 'POST', headers: sent, body: JSON.stringify(hello) })
  await answer.text()
  const headers = { ...sent, 'mcp-session-id': answer.headers.get('mcp-session-id') ?? '' }
  await fetch(url, { method: 'POST', headers, body: JSON.stringify(initialized) }).then((done) => done.text())
  return headers
}

/**
 * Puts servers under the same load in turns. Returns for each the calls per second and the CPU time per call in µs of
 * each round, and how many calls the first has had.
 */
export async function measureHttp(kinds, body, { connections, rounds, seconds, amount, opened }) {
  const sides = []
  let token
  for (const [kind, ...args] of kinds) {
    const side = start(kind, ...args)
    const started = await side.next()
    const { url } = started
    // Both servers receive it; only one checks it.
    token ??= started.token
    const bare = token === undefined ? json : { ...json, authorization: `Bearer ${token}` }
    const headers = kind.startsWith('jexo') ? await session(url, token) : bare
    if (kind.startsWith('jexo')) await opened?.(url)
    sides.push({ ...side, url, headers, rates: [], cpus: [] })
  }
  let id = 1
  let total = 0
  for (let round = 0; round <= rounds; round++) {
    for (const side of sides) {
      const before = (await side.ask('cpu')).cpuMicros
      const requests = [
        {
          method: 'POST',
          headers: side.headers,
          setupRequest: (request) => ({ ...request, body: JSON.stringify(body(id++)) }),
        },
      ]
      const result = await autocannon({
        url: side.url,
        connections,
        ...(amount === undefined
          ? { duration: round === 0 ? 2 * seconds : seconds }
          : { amount: round === 0 ? 5 * amount : amount }),
        requests,
      })
      if (result.non2xx + result.errors > 0)
        throw new Error(`HTTP: ${result.non2xx} refused, ${result.errors} failed`)
      total += side === sides[0] ? result.requests.total : 0
      // The first round is a warm-up.
      if (round === 0) continue
      side.rates.push(result.requests.average)
      side.cpus.push(((await side.ask('cpu')).cpuMicros - before) / result.requests.total)
    }
  }
  for (const { child } of sides) child.kill()
  return { sides: sides.map(({ rates, cpus }) => ({ rates, cpus })), total }
}

export async function measureStdio(underWay, { count, rounds }) {
  const sides = ['jexo-stdio', 'bare-stdio'].map((kind) => ({ ...start(kind), rates: [], cpus: [] }))
  for (let round = 0; round <= rounds; round++) {
    for (const side of sides) {
      if (round === 0) {
        await roundTrips(side.child, [hello], 1, true)
        // The optimizing compiler settles late; the figures are for a server that has run for a while.
        await roundTrips(
          side.child,
          Array.from({ length: 4 * count }, (_, id) => call(id + 1)),
          16,
        )
      }
      const before = (await side.ask('cpu')).cpuMicros
      const startedAt = performance.now()
      await roundTrips(
        side.child,
        Array.from({ length: count }, (_, id) => call(id + 1)),
        underWay,
      )
      if (round === 0) continue
      side.rates.push((count * 1000) / (performance.now() - startedAt))
      side.cpus.push(((await side.ask('cpu')).cpuMicros - before) / count)
    }
  }
  for (const { child } of sides) child.kill()
  return sides.map(({ rates, cpus }) => ({ rates, cpus }))
}

/** Keeps a number of requests in progress until all are answered. */
export function roundTrips(child, messages, underWay, isOpening = false) {
  return new Promise((resolve) => {
    let sent = 0
    let answered = 0
    const send = () => sent < messages.length && child.stdin.write(`${JSON.stringify(messages[sent++])}\n`)
    const onData = (chunk) => {
      for (const byte of chunk) {
        if (byte !== 10) continue
        answered++
        send()
      }
      if (answered < messages.length) return
      child.stdout.off('data', onData)
      if (isOpening) child.stdin.write(`${JSON.stringify(initialized)}\n`)
      resolve()
    }
    child.stdout.on('data', onData)
    for (let index = 0; index < underWay; index++) send()
  })
}
