import { spawn } from 'node:child_process'
import { mkdtempSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { serve as serveHono } from '@hono/node-server'
import express from 'express'
import fastify from 'fastify'
import { Hono } from 'hono'
import { fetchHandler } from 'jexo/fetch'
import { connect, nodeHandler, serveHttp } from 'jexo/node'
import { sampleKit } from '../support/sample-kit.js'

interface App {
  base: string
  close(): Promise<void>
}

async function listening(server: Server, closeKit: () => Promise<void>): Promise<App> {
  if (!server.listening) await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    base: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: async () => {
      await closeKit()
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}

/** Each application has a route of its own, reads JSON bodies, and gains tools on the same port. */
const applications: [string, () => Promise<App>][] = [
  [
    'bare node:http',
    async () => {
      const mcp = nodeHandler(sampleKit())
      const server = createServer((request, response) =>
        mcp(request, response, () => response.setHeader('content-type', 'application/json').end('{"hives":12}')),
      )
      return listening(server, () => mcp.close())
    },
  ],
  [
    'Express, behind its body parser',
    async () => {
      const mcp = nodeHandler(sampleKit())
      const app = express()
      app.use(express.json())
      app.use(mcp)
      app.get('/hives', (_request, response) => void response.json({ hives: 12 }))
      app.post('/echo', (request, response) => void response.json(request.body))
      return listening(createServer(app), () => mcp.close())
    },
  ],
  [
    'Fastify',
    async () => {
      const mcp = nodeHandler(sampleKit())
      const app = fastify()
      app.get('/hives', async () => ({ hives: 12 }))
      app.post('/echo', async (request) => request.body)
      app.addHook('onRequest', (request, reply, done) => {
        if (!request.url.startsWith('/mcp')) return done()
        reply.hijack()
        mcp(request.raw, reply.raw)
      })
      await app.listen({ port: 0, host: '127.0.0.1' })
      return listening(app.server, () => mcp.close())
    },
  ],
  [
    'Hono, by fetchHandler',
    async () => {
      const mcp = fetchHandler(sampleKit())
      const app = new Hono()
      app.get('/hives', (context) => context.json({ hives: 12 }))
      app.post('/echo', async (context) => context.json(await context.req.json()))
      app.all('/mcp', (context) => mcp(context.req.raw))
      const server = await new Promise<Server>((resolve) => {
        const started = serveHono({ fetch: app.fetch, port: 0, hostname: '127.0.0.1' }, () =>
          resolve(started as Server),
        )
      })
      return listening(server, () => mcp.close())
    },
  ],
]

async function tryKit(url: string): Promise<void> {
  const link = await connect(url)
  expect((await link.call('add', { a: 1 })).structuredContent).toStrictEqual({ sum: 2 })
  const seen: number[] = []
  await link.call('slow_steps', {}, { onProgress: ({ progress }) => seen.push(progress) })
  expect(seen).toStrictEqual([1, 2, 3])
  await link.subscribe('sample://counter')
  const updated = new Promise((resolve) => link.on('resourceUpdated', resolve))
  await link.call('count')
  expect(await updated).toStrictEqual({ uri: 'sample://counter' })
  await link.close()
}

test.each(applications)(
  'a kit is mounted in %s, and the routes of the application keep working',
  async (_name, start) => {
    const app = await start()
    await tryKit(`${app.base}/mcp`)
    expect(await (await fetch(`${app.base}/hives`)).json()).toStrictEqual({ hives: 12 })
    if (_name !== 'bare node:http') {
      const echoed = await fetch(`${app.base}/echo`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: '{"a":1}',
      })
      expect(await echoed.json()).toStrictEqual({ a: 1 })
    }
    await app.close()
  },
)

test('a server works behind nginx with its default buffering', async () => {
  const service = await serveHttp(sampleKit())
  const { host } = new URL(service.url)
  const folder = mkdtempSync(join(tmpdir(), 'jexo-nginx-'))
  const port = await freePort()
  writeFileSync(
    join(folder, 'nginx.conf'),
    `daemon off; pid ${folder}/pid; error_log stderr; worker_processes 1;
     events {}
     http { access_log off; client_body_temp_path ${folder}/b; proxy_temp_path ${folder}/p; fastcgi_temp_path ${folder}/f; uwsgi_temp_path ${folder}/u; scgi_temp_path ${folder}/s;
       server { listen 127.0.0.1:${port}; location / { proxy_pass http://${host}; } } }`,
  )
  const nginx = spawn(process.env.JEXO_NGINX ?? '/usr/sbin/nginx', ['-c', join(folder, 'nginx.conf'), '-p', folder])
  const base = `http://127.0.0.1:${port}`
  try {
    while (
      !(await fetch(`${base}/health/live`).then(
        (answer) => answer.ok,
        () => false,
      ))
    ) {
      if (nginx.exitCode !== null) throw new Error('nginx ended')
    }
    await tryKit(`${base}/mcp`)
  } finally {
    const ended = new Promise((resolve) => nginx.once('close', resolve))
    nginx.kill('SIGTERM')
    await ended
    await service.close()
  }
})

async function freePort(): Promise<number> {
  const server = createServer()
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as AddressInfo
  await new Promise((resolve) => server.close(resolve))
  return port
}
