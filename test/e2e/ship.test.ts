import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import { parse } from 'dotenv'
import { connect } from 'jexo/link'
import { bin, hello, jexo, newFolder, type Ran, Running, root, run } from '../support/cli.js'
import { freePort } from '../support/databases.js'
import { Sshd } from '../support/sshd.js'

/** A kit that reports its version after a delay. */
const kitText = (version: string, more = '') => `import { defineKit, tool } from 'jexo'
import { z } from 'zod'
${more}
const which = tool('which_version', {
  about: 'The version that answers.', effect: 'read', input: z.object({ waitMs: z.number().default(0) }),
  examples: [{ input: { waitMs: 0 } }],
  run: async ({ waitMs }) => { await new Promise((wake) => setTimeout(wake, waitMs)); return ${JSON.stringify(version)} },
})
const die = tool('die', { about: 'Ends the process.', effect: 'change', run: () => process.exit(7) })
export default defineKit({ name: 'teller', version: ${JSON.stringify(version)}, parts: [which, die] })`

const places = new Set<string>()
const env = () => ({ ...process.env, NO_COLOR: '1' }) as Record<string, string>
const ship = (...words: string[]): Promise<Ran> => jexo('ship', ...words)

const sources = newFolder()
const kit = (text: string) => {
  writeFileSync(join(sources, 'teller.kit.ts'), text)
  return join(sources, 'teller.kit.ts')
}
const packed = new Map<string, Promise<string>>()
/** The packed kit of a version, packed once. */
function release(version: string): Promise<string> {
  const made = packed.get(version) ?? packedOf(kit(kitText(version)))
  packed.set(version, made)
  return made
}
const packedOf = async (file: string) => {
  const out = newFolder()
  expect((await jexo('pack', file, '--out', out)).code).toBe(0)
  return join(out, 'teller.mjs')
}

/** A new deployment with a release in it. */
async function newPlace(...more: string[]): Promise<{ folder: string; url: string }> {
  const folder = join(newFolder(), 'pläce')
  places.add(folder)
  const ran = await ship(await release('1.0.0'), '--to', folder, '--port', String(await freePort()), ...more)
  expect(ran).toMatchObject({ code: 0, stderr: expect.stringContaining('it responds: teller 1.0.0, 2 tools') })
  return { folder, url: ran.stdout.trim() }
}

/** A deployment for tests that leave its first release serving. */
let shared: ReturnType<typeof newPlace> | undefined
const sharedPlace = () => (shared ??= newPlace())

const which = async (url: string) => {
  const link = await connect(url)
  try {
    return (await link.call('which_version')).content[0]
  } finally {
    await link.close()
  }
}
const says = (version: string) => ({ text: version })

afterEach(async () => {
  const lasting = (await shared)?.folder
  for (const folder of places) if (folder !== lasting) await stop(folder)
})
afterAll(async () => {
  for (const folder of places) await stop(folder)
  await Running.endAll()
})
async function stop(folder: string): Promise<void> {
  await ship('--to', folder, '--stop')
  places.delete(folder)
}

test('deploying under constant load switches releases, and no call fails', async () => {
  const { folder, url } = await newPlace('--drain', '1000')
  const heard: string[] = []
  const failures: unknown[] = []
  let isOver = false
  const callsIn = async (times: number) => {
    const link = await connect(url)
    for (let count = 0; count < times && !isOver; count++) {
      const { content, isError } = await link.call('which_version', { waitMs: 150 })
      if (isError) failures.push(content)
      heard.push(content[0]?.type === 'text' ? content[0].text : '?')
    }
    await link.close()
  }
  // Some clients keep one session, others open a new one every few calls.
  const load = [100_000, 100_000, 3, 3, 1].map(async (times) => {
    while (!isOver) await callsIn(times).catch((error) => failures.push(error))
  })
  for (const version of ['2.0.0', '3.0.0']) {
    // A kit file is packed during the deployment.
    const shipped = version === '2.0.0' ? kit(kitText(version)) : await release(version)
    const ran = await ship(shipped, '--to', folder)
    expect(ran).toMatchObject({ code: 0, stderr: expect.stringContaining(`teller ${version}`) })
  }
  // Old sessions end after the drain time, and their clients reconnect to the new release.
  const latestAt = Date.now() + 20_000
  while (Date.now() < latestAt && heard.slice(-30).some((version) => version !== '3.0.0'))
    await new Promise((wake) => setTimeout(wake, 100))
  isOver = true
  await Promise.all(load)
  expect(failures).toStrictEqual([])
  expect(new Set(heard)).toStrictEqual(new Set(['1.0.0', '2.0.0', '3.0.0']))
  expect(new Set(heard.slice(-20))).toStrictEqual(new Set(['3.0.0']))
})

test('a session stays with its release until it ends; rollback restores the previous release; status and logs report both', async () => {
  const { folder, url } = await sharedPlace()
  const link = await connect(url)
  const older = new AbortController()
  const stream = await fetch(url.replace('/mcp', '/sse'), {
    headers: { accept: 'text/event-stream' },
    signal: older.signal,
  })
  const reader = stream.body?.getReader()
  const first = new TextDecoder().decode((await reader?.read())?.value)
  const place = new URL(/data: (\S+)/.exec(first)?.[1] ?? '', url)
  const post = (message: object) =>
    fetch(place, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ jsonrpc: '2.0', ...message }),
    })
  // A session that is not initialized ends after ten seconds.
  expect((await post(hello('2024-11-05'))).status).toBe(202)
  expect((await post({ method: 'notifications/initialized' })).status).toBe(202)
  await ship(await release('2.0.0'), '--to', folder)
  expect((await link.call('which_version')).content[0]).toMatchObject(says('1.0.0'))
  expect(await which(url)).toMatchObject(says('2.0.0'))
  // Also for the session of the older form: only the release that opened it accepts its messages.
  expect((await post({ id: 2, method: 'ping' })).status).toBe(202)
  const status = await ship('--to', folder, '--status')
  expect(status.stdout).toMatch(/2\.0\.0-\w+ +teller 2\.0\.0 +serving/)
  expect(status.stdout).toMatch(/1\.0\.0-\w+ +teller 1\.0\.0 +draining +2 sessions/)
  older.abort()
  await link.close()
  const until = async (pattern: RegExp) => {
    while (!pattern.test((await ship('--to', folder, '--logs')).stdout))
      await new Promise((wake) => setTimeout(wake, 200))
  }
  await until(/1\.0\.0-\w+ has ended/)
  const back = await ship('--to', folder, '--rollback', '--json')
  expect(JSON.parse(back.stdout)).toMatchObject({ url, tools: 2, check: { called: 'which_version' } })
  expect(await which(url)).toMatchObject(says('1.0.0'))
  expect(await ship('--to', folder, '--rollback', 'none')).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/there is no release none here; kept releases: .*1\.0\.0-\w+/),
  })
})

test('a release that fails its health check never serves: the old one keeps serving, and the reason is printed', async () => {
  const { folder, url } = await sharedPlace()
  for (const [more, reason] of [
    ["throw new Error('no honey')", /failed to start \(it ended with code 1, saying: .*no honey/],
    ['await new Promise(() => setInterval(() => {}, 1000))', /failed to start \(it is not ready after 1500 ms/],
  ] as const) {
    const bad = join(newFolder(), 'bad.mjs')
    // Changed after packing, since pack would detect these faults.
    const whole = readFileSync(await release('2.0.0'), 'utf8')
    writeFileSync(bad, whole.replace(/^(.*\n.*\n)/, `$1${more};\n`))
    const ran = await ship(bad, '--to', folder, '--ready', '1500')
    expect(ran).toMatchObject({ code: 1, stderr: expect.stringMatching(reason) })
    expect(ran.stderr).toMatch(/the previous release keeps serving/)
    expect(await which(url)).toMatchObject(says('1.0.0'))
  }
  expect((await ship('--to', folder, '--status')).stdout).toMatch(/1\.0\.0-\w+ .*serving/)
})

test('a release that crashes is restarted, and requests wait for it', async () => {
  const { url } = await sharedPlace()
  const link = await connect(url)
  await expect(link.call('die')).rejects.toThrow()
  expect(await which(url)).toMatchObject(says('1.0.0'))
  await link.close()
})

test('a public deployment has a token, which the attach line contains; its secrets are readable by the owner only', async () => {
  const port = await freePort()
  const publicUrl = `http://localhost:${port}/hives`
  const folder = join(newFolder(), 'place')
  places.add(folder)
  const file = await release('1.0.0')
  const ran = await ship(
    ...[file, '--to', folder, '--port', String(port), '--path', '/hives', '--public-url', publicUrl],
    ...['--env', "MOTTO=a 'b' c"],
  )
  expect(ran).toMatchObject({ code: 0, stdout: `${publicUrl}\n` })
  const token = /Authorization: Bearer ([\w-]+)/.exec(ran.stderr)?.[1]
  expect((await fetch(publicUrl, { method: 'POST' })).status).toBe(401)
  const link = await connect(publicUrl, { headers: { authorization: `Bearer ${token}` } })
  expect((await link.call('which_version')).content[0]).toMatchObject(says('1.0.0'))
  await link.close()
  const secrets = join(folder, '.env')
  expect(readFileSync(secrets, 'utf8')).toContain(`JEXO_TOKEN=${token}`)
  expect(parse(readFileSync(secrets, 'utf8'))).toMatchObject({ MOTTO: "a 'b' c" })
  expect(statSync(secrets).mode & 0o077).toBe(0)
  const quoted = await ship(file, '--to', folder, '--env', `MOTTO='"\``)
  expect(quoted).toMatchObject({ code: 2, stderr: expect.stringContaining('without quotes of all three kinds') })
  expect(await ship(file, '--to', folder, '--port', String(port + 1))).toMatchObject({
    code: 2,
    stderr: expect.stringContaining(`the deployment listens on 127.0.0.1:${port} while it runs`),
  })
})

describe('an invalid deployment', () => {
  test('is refused in one sentence, and leaves nothing half-done', async () => {
    const taken = createServer()
    await new Promise<void>((resolve) => taken.listen(0, '127.0.0.1', resolve))
    const { port } = taken.address() as { port: number }
    const folder = join(newFolder(), 'place')
    const file = await release('1.0.0')
    const foreign = join(newFolder(), 'foreign.mjs')
    writeFileSync(foreign, readFileSync(file, 'utf8').replace('. Run it', ' for plan9-mips. Run it'))
    const rows: [string[], RegExp][] = [
      [[file, '--port', String(port)], new RegExp(`127\\.0\\.0\\.1:${port} is in use`)],
      [[foreign], /it contains native code for plan9-mips, but this machine is/],
      [[join(root, 'README.md')], /README\.md: not a file created by jexo pack; create one with jexo pack/],
      [['no-such.mjs'], /no-such\.mjs: it cannot be read \(ENOENT\)/],
      [[file, '--host', '0.0.0.0'], /reach 0\.0\.0\.0 by host names, and this server refuses unknown host names/],
      [['--stop'], /nothing is deployed here/],
      [['--rollback'], /there is no earlier release; ship one first/],
      [[file, '--port', 'x'], /the port "x" is not valid/],
    ]
    for (const [words, said] of rows) {
      const ran = await ship(...words, '--to', folder)
      expect(ran).toMatchObject({ code: 2, stderr: expect.stringMatching(said) })
      expect(existsSync(join(folder, 'running.json'))).toBe(false)
    }
    taken.close()
  })
})

describe('over ssh', () => {
  let sshd: Sshd
  beforeAll(async () => {
    sshd = await Sshd.start()
    process.env.JEXO_SSH = sshd.ssh
  })
  afterAll(async () => {
    delete process.env.JEXO_SSH
    await sshd.stop()
  })

  test('a release is deployed to another host, switched, and rolled back there', async () => {
    const folder = join(newFolder(), 'far é')
    const to = ['--to', `far:${folder}`, '--node', process.execPath]
    const port = String(await freePort())
    const file = await release('1.0.0')
    const first = await run(process.execPath, [bin, 'ship', file, ...to, '--port', port], { env: env() })
    expect(first).toMatchObject({
      code: 0,
      stderr: expect.stringMatching(/it responds on that machine: 1\.0\.0-\w+, 2 tools/),
    })
    const second = await ship(await release('2.0.0'), ...to, '--public-url', `http://localhost:${port}/mcp`)
    expect(second).toMatchObject({ code: 0, stderr: expect.stringContaining('it responds: teller 2.0.0') })
    expect((await ship(...to, '--rollback')).code).toBe(0)
    expect((await ship(...to, '--status')).stdout).toMatch(/1\.0\.0-\w+ .*serving/)
    expect((await ship(...to, '--stop')).code).toBe(0)
    const without = await ship(file, '--to', `far:${folder}`, '--node', '/no/node')
    expect(without).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('Node was not found on that machine'),
    })
    const nowhere = await ship(file, '--to', 'nowhere.invalid:x')
    expect(nowhere).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/nowhere\.invalid cannot be reached by ssh/),
    })
  })

  test('serve --ssh-tunnel makes a server reachable from another machine, and reconnects when the tunnel is lost', async () => {
    const file = kit(kitText('1.0.0'))
    const [here, there] = [await freePort(), await freePort()]
    const words = [
      bin,
      'serve',
      file,
      '--http',
      String(here),
      '--ssh-tunnel',
      'far',
      '--ssh-tunnel-port',
      String(there),
    ]
    const refused = await run(process.execPath, words, { env: env() })
    expect(refused).toMatchObject({ code: 2, stderr: expect.stringContaining('requires no authentication') })
    const serving = new Running([...words, '--open-to-anyone'], { env: env() })
    const [, url = ''] = await serving.until(/reached through far, there at (\S+)/)
    expect(url).toContain(`:${there}/`)
    expect(await which(url)).toMatchObject(says('1.0.0'))
    spawnSync('pkill', ['-f', `^ssh .*-R ${there}:127.0.0.1:${here}`])
    await serving.until(/the ssh tunnel to far was lost/)
    await serving.until(/the ssh tunnel to far is open again/)
    expect(await which(url)).toMatchObject(says('1.0.0'))
    expect(await serving.end('SIGTERM')).toBe(0)
    const wrong = await run(process.execPath, [...words.slice(0, 6), 'nowhere.invalid', '--open-to-anyone'], {
      env: env(),
    })
    expect(wrong).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/nowhere\.invalid cannot be reached by ssh/),
    })
  })
})
