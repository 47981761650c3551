import { type ChildProcess, spawn } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { freePort } from './databases.js'

/** A real Redis on a free port, with its data in a new folder. */
export interface RedisServer {
  readonly url: string
  readonly port: number
  start(): Promise<void>
  /** Ends it like a shutdown of the machine: its data is written first. */
  stop(): Promise<void>
  /** Pauses it without closing its connections, and resumes it. */
  pause(): void
  goOn(): void
  /** Sends one command, and returns the raw reply. */
  command(...words: string[]): Promise<string>
  remove(): Promise<void>
}

export async function redisServer(...more: string[]): Promise<RedisServer> {
  const port = await freePort()
  const folder = mkdtempSync(join(tmpdir(), 'jexo-redis-'))
  const flags = ['--port', String(port), '--bind', '127.0.0.1', '--dir', folder, '--save', '3600 1', ...more]
  let child: ChildProcess | undefined
  const command = (...words: string[]) =>
    new Promise<string>((resolve, reject) => {
      const socket = connect(port, '127.0.0.1', () =>
        socket.write(
          `*${words.length}\r\n${words.map((word) => `$${Buffer.byteLength(word)}\r\n${word}\r\n`).join('')}`,
        ),
      )
      let text = ''
      socket.on('data', (chunk) => {
        text += chunk
        // One reply only: enough for commands that return one line or one text.
        if (text.endsWith('\r\n')) socket.end()
      })
      socket.on('close', () => resolve(text))
      socket.on('error', reject)
    })
  const server: RedisServer = {
    url: `redis://127.0.0.1:${port}`,
    port,
    async start() {
      child = spawn(process.env.JEXO_REDIS ?? '/usr/bin/redis-server', flags, { stdio: 'ignore' })
      for (let tries = 0; ; tries++) {
        if ((await command('PING').catch(() => '')).includes('PONG')) return
        if (tries > 200) throw new Error('redis-server did not start')
        await new Promise((resolve) => setTimeout(resolve, 50))
      }
    },
    async stop() {
      const ending = child
      if (!ending || ending.exitCode !== null) return
      const ended = new Promise((resolve) => ending.once('exit', resolve))
      ending.kill('SIGTERM')
      await ended
    },
    pause: () => void child?.kill('SIGSTOP'),
    goOn: () => void child?.kill('SIGCONT'),
    command,
    async remove() {
      child?.kill('SIGCONT')
      await server.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
  await server.start()
  return server
}
