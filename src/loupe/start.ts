import { randomBytes } from 'node:crypto'
import { existsSync } from 'node:fs'
import type { AddressInfo } from 'node:net'
import { relative } from 'node:path'
import { createAdaptorServer } from '@hono/node-server'
import { compiledFile } from '../own-files.js'
import { TapeWriter } from '../tape/write.js'
import { secretsOf } from '../target/secrets-of.js'
import type { Target } from '../target/target.js'
import { transportErrors } from '../transport/errors.js'
import { serveViewProxy } from '../view/frame/serve-proxy.js'
import { loupeApp } from './app.js'
import { Bench } from './bench.js'
import { loupeErrors } from './errors.js'

export interface LoupeOptions {
  /** Port of the page; 0 for any free one. 4871 by default. */
  port?: number
  /** File of the recording. */
  tape?: string
  /** Revision to request at first; the newest by default. */
  revision?: string
  /** Reload kits when their files change. Default: true. */
  watches?: boolean
  /** Time limit of a request. Default: ten minutes for requests of the page. */
  timeoutMs?: number
  /** Tapes that are followed as they are written. */
  follow?: readonly string[]
}
export interface LoupeService {
  /** The URL to open, with the token. */
  readonly url: string
  readonly bench: Bench
  close(): Promise<void>
}

/** Starts the inspector page for some targets and tapes, on this machine only. Rejects if the port is taken. */
export async function startLoupe(targets: readonly Target[], options: LoupeOptions = {}): Promise<LoupeService> {
  const { port = 4871, follow = [] } = options
  const page = compiledFile('loupe/page')
  if (!existsSync(page)) throw loupeErrors.pageNotBuilt(page)
  const recorder =
    options.tape === undefined
      ? undefined
      : await TapeWriter.open(options.tape, targets.flatMap(secretsOf), (reason) =>
          process.stderr.write(`jexo: the tape is no longer writable (${reason}); Loupe continues without it\n`),
        )
  const { revision, timeoutMs, watches = true } = options
  const bench = new Bench(recorder, {
    watches,
    ...(revision === undefined ? {} : { revision }),
    ...(timeoutMs === undefined ? {} : { timeoutMs }),
  })
  const token = randomBytes(18).toString('base64url')
  const app = loupeApp({ bench, token, page: relative(process.cwd(), page) || '.' })
  const server = createAdaptorServer({ fetch: app.fetch })
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? transportErrors.portTaken('127.0.0.1', port) : error),
    )
    server.listen(port, '127.0.0.1', resolve)
  })
  const { port: taken } = server.address() as AddressInfo
  const proxy = await serveViewProxy({ hostOrigins: [`http://127.0.0.1:${taken}`, `http://localhost:${taken}`] })
  bench.viewProxy = proxy.url
  for (const target of targets) {
    if (target.kind === 'tape') void bench.openTape(target.file, false)
    else bench.add(target)
  }
  for (const file of follow) void bench.openTape(file, true)
  return {
    url: `http://127.0.0.1:${taken}/?token=${token}`,
    bench,
    close: async () => {
      await Promise.all([bench.close(), proxy.close()])
      const closed = new Promise((resolve) => server.close(resolve))
      if ('closeAllConnections' in server) server.closeAllConnections()
      await closed
    },
  }
}
