import { createServer, type Socket } from 'node:net'
import { between, seeded } from '../data/seeded.ts'
import { everyMs, hiveCodes, stateOf, weightAt } from './weights.ts'

export interface ServedScales {
  url: string
  /** Closes all connections, to simulate an outage. */
  drop(): void
  close(): Promise<void>
}

/**
 * Simulated scales: each publishes its weight and state by MQTT every five seconds, on a small broker that sometimes
 * drops its connections. Rejects if the port is taken.
 */
export async function serveScales(port = 0): Promise<ServedScales> {
  const { Aedes } = await import('aedes')
  const broker = await Aedes.createBroker()
  const sockets = new Set<Socket>()
  const server = createServer((socket) => {
    sockets.add(socket)
    socket.on('close', () => sockets.delete(socket))
    broker.handle(socket)
  })
  const drop = () => {
    for (const socket of sockets) socket.destroy()
  }
  const bound = await new Promise<number>((resolve, reject) => {
    server.once('error', (error) => broker.close(() => reject(error)))
    server.listen(port, '127.0.0.1', () => {
      const address = server.address()
      resolve(typeof address === 'object' ? (address?.port ?? 0) : 0)
    })
  })
  const openedAt = Date.now()
  const random = seeded(77)
  let untilLoss = between(random, 12, 20)
  const publish = () => {
    const slot = Math.floor((Date.now() - openedAt) / everyMs)
    for (const hive of hiveCodes) {
      say(`scales/${hive}/weight`, JSON.stringify(weightAt(hive, slot)))
      say(`scales/${hive}/state`, String(stateOf(hive, slot)))
    }
    if (slot > 0 && --untilLoss === 0) {
      untilLoss = between(random, 12, 20)
      drop()
    }
  }
  // Retained, so that new subscribers get the latest value at once.
  const say = (topic: string, text: string) =>
    broker.publish(
      { cmd: 'publish', topic, payload: Buffer.from(text), qos: 0, dup: false, retain: true },
      () => {},
    )
  publish()
  const timer = setInterval(publish, everyMs)
  // Does not keep the process alive.
  timer.unref()
  server.unref()
  return {
    url: `mqtt://127.0.0.1:${bound}`,
    drop,
    close: async () => {
      clearInterval(timer)
      drop()
      await new Promise<void>((done) => broker.close(() => done()))
      await new Promise<void>((done) => server.close(() => done()))
    },
  }
}
