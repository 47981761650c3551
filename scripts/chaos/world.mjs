/** The processes of a chaos run: a Redis server, servers that are restarted, and a proxy in front of them. */
import { execFileSync, spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { connect as connectTcp, createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'

const root = fileURLToPath(new URL('../..', import.meta.url))
export const pause = (ms) => new Promise((go) => setTimeout(go, ms))

const freePort = () =>
  new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address()
      probe.close(() => resolve(port))
    })
  })

/** Redis behind a network link that can be cut; without the rights for that, on the loopback interface. */
function place(name) {
  const run = (...words) => execFileSync('ip', words, { stdio: 'ignore' })
  try {
    run('netns', 'add', name)
    run('link', 'add', `${name}a`, 'type', 'veth', 'peer', 'name', `${name}b`, 'netns', name)
    run('addr', 'add', '10.77.0.1/30', 'dev', `${name}a`)
    run('link', 'set', `${name}a`, 'up')
    run('netns', 'exec', name, 'ip', 'addr', 'add', '10.77.0.2/30', 'dev', `${name}b`)
    run('netns', 'exec', name, 'ip', 'link', 'set', `${name}b`, 'up')
    return {
      host: '10.77.0.2',
      command: (words) => ['ip', ['netns', 'exec', name, ...words]],
      cut: () => run('link', 'set', `${name}a`, 'down'),
      restore: () => run('link', 'set', `${name}a`, 'up'),
      remove: () => run('netns', 'del', name),
    }
  } catch {
    return { host: '127.0.0.1', command: ([program, ...args]) => [program, args], remove: () => {} }
  }
}

export async function world(count) {
  const folder = mkdtempSync(join(tmpdir(), 'jexo-chaos-'))
  const ledger = join(folder, 'ledger')
  writeFileSync(ledger, '')
  const network = place(`jx${process.pid}`)
  const redisPort = await freePort()
  const store = `redis://${network.host}:${redisPort}`
  const said = []
  let isOver = false
  let redis

  const startRedis = async () => {
    const [program, args] = network.command([
      process.env.JEXO_REDIS ?? 'redis-server',
      ...['--port', String(redisPort), '--bind', network.host, '--protected-mode', 'no', '--dir', folder],
      ...['--appendonly', 'yes', '--save', '', '--maxmemory', '256mb', '--maxmemory-policy', 'noeviction'],
    ])
    redis = spawn(program, args, { stdio: 'ignore' })
    for (let tries = 0; tries < 200 && !(await answers(redisPort, network.host)); tries++) await pause(50)
  }
  const stopRedis = async () => {
    const ended = new Promise((resolve) => redis.once('exit', resolve))
    redis.kill('SIGTERM')
    await ended
  }

  const servers = []
  const startServer = (at) => {
    const { port } = servers[at]
    const args = [
      join(root, 'bin/jexo.mjs'),
      'serve',
      join(root, 'scripts/chaos/chaos.kit.mjs'),
      '--http',
      String(port),
    ]
    const child = spawn(process.execPath, [...args, '--store', store], { env: { ...process.env, LEDGER: ledger } })
    servers[at].child = child
    child.stderr.on('data', (chunk) => said.push(`${at}: ${chunk}`))
    child.once('exit', async () => {
      await pause(500)
      if (!isOver) startServer(at)
    })
  }

  await startRedis()
  for (let at = 0; at < count; at++) {
    servers.push({ port: await freePort() })
    startServer(at)
  }
  for (const { port } of servers)
    await until(
      () => isReady(port),
      () => `a server does not start: ${said.slice(-3).join('')}`,
    )
  const proxyPort = await freePort()
  mkdirSync(join(folder, 'proxy'))
  writeFileSync(join(folder, 'nginx.conf'), configuration(proxyPort, servers, join(folder, 'proxy')))
  const proxy = spawn(process.env.JEXO_NGINX ?? 'nginx', ['-c', join(folder, 'nginx.conf'), '-p', folder], {
    stdio: 'ignore',
  })
  await until(
    () => answers(proxyPort, '127.0.0.1'),
    () => 'the proxy does not start',
  )

  return {
    url: `http://127.0.0.1:${proxyPort}/mcp`,
    ledger,
    said,
    redisPort,
    redisHost: network.host,
    canCut: network.cut !== undefined,
    kill: (at) => servers[at].child.kill('SIGKILL'),
    restartRedis: async () => {
      await stopRedis()
      await pause(1000)
      await startRedis()
    },
    pauseRedis: async (ms) => {
      redis.kill('SIGSTOP')
      await pause(ms)
      redis.kill('SIGCONT')
    },
    cutRedis: async (ms) => {
      network.cut()
      await pause(ms)
      network.restore()
    },
    allReady: async () => {
      for (const { port } of servers)
        await until(
          () => isReady(port),
          () => 'a server is not ready again',
        )
    },
    end: async () => {
      isOver = true
      for (const { child } of servers) child.kill('SIGKILL')
      proxy.kill('SIGKILL')
      redis.kill('SIGCONT')
      redis.kill('SIGKILL')
      await pause(200)
      network.remove()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

async function until(isSo, why) {
  for (let tries = 0; !(await isSo()); tries++) {
    if (tries > 600) throw new Error(why())
    await pause(50)
  }
}

const answers = (port, host) =>
  new Promise((resolve) => {
    const socket = connectTcp(port, host, () => {
      socket.destroy()
      resolve(true)
    })
    socket.on('error', () => resolve(false))
  })

const isReady = (port) =>
  fetch(`http://127.0.0.1:${port}/health/ready`).then(
    ({ status }) => status === 200,
    () => false,
  )

/** Round robin without sticky sessions. A server that refuses a connection is skipped for a second. */
const configuration = (port, servers, folder) => `daemon off;
worker_processes 1;
error_log stderr crit;
pid ${folder}/nginx.pid;
events { worker_connections 4096; }
http {
  access_log off;
  client_body_temp_path ${folder}/body; proxy_temp_path ${folder}/proxy; fastcgi_temp_path ${folder}/f; uwsgi_temp_path ${folder}/u; scgi_temp_path ${folder}/s;
  upstream servers {
${servers.map((server) => `    server 127.0.0.1:${server.port} max_fails=1 fail_timeout=1s;`).join('\n')}
    keepalive 64;
  }
  server {
    listen 127.0.0.1:${port};
    location / {
      proxy_pass http://servers;
      proxy_http_version 1.1;
      proxy_set_header Connection "";
      proxy_set_header Host $http_host;
      proxy_buffering off;
      proxy_read_timeout 1h;
    }
  }
}
`
