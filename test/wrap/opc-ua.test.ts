import { type ChildProcessByStdio, spawn } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import type { Readable, Writable } from 'node:stream'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { jexo, newFolder, root } from '../support/cli.js'
import { freePort } from '../support/databases.js'

const pki = newFolder()
const home = newFolder()
// The client keeps its certificates there.
process.env.XDG_DATA_HOME = home
const kit = join(newFolder(), 'apiary.kit.ts')
const packed = newFolder()
let port: number
let server: ChildProcessByStdio<Writable, Readable, null>
let lines: AsyncIterator<string>
const links: Link[] = []

async function start(): Promise<void> {
  const args = [join(root, 'test/support/opc-ua-server.mjs'), String(port), '3', '1100']
  const env = { ...process.env, OPC_UA_PKI: pki }
  server = spawn(process.execPath, args, { stdio: ['pipe', 'pipe', 'ignore'], env })
  lines = createInterface({ input: server.stdout })[Symbol.asyncIterator]()
  await address()
}
/** Waits until the server has started and printed its address. */
async function address(): Promise<void> {
  for (;;) if ((await lines.next()).value?.startsWith('opc.tcp:') !== false) return
}
async function linkTo(args: string[], env: Record<string, string> = {}): Promise<Link> {
  const command = { command: process.execPath, args }
  const link = await connect({ ...command, env: { ...process.env, ...env } } as never)
  links.push(link)
  return link
}
const say = (line: string) => server.stdin.write(`${line}\n`)
const read = async (link: Link, uri: string) => JSON.parse((await link.read(uri)).contents[0]?.text ?? '')
async function until<T>(look: () => Promise<T>, holds: (found: T) => boolean): Promise<T> {
  for (;;) {
    const found = await look().catch(() => undefined)
    if (found !== undefined && holds(found)) return found
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}

beforeAll(async () => {
  port = await freePort()
  await start()
}, 60_000)
/** A session in this process, since loading the client takes seconds. */
async function linkHere(environment: Record<string, string> = {}): Promise<Link> {
  const link = await connect((await import(kit)).default, { environment })
  links.push(link)
  return link
}
let shared: Promise<Link> | undefined
const sharedLink = () => (shared ??= linkHere())
afterAll(async () => {
  await Promise.all(links.map((link) => link.close()))
  server.kill('SIGKILL')
})

test('jexo wrap finds variables with unit, range and labels, and includes methods only by name', async () => {
  const url = `opc.tcp://127.0.0.1:${port}/apiary`
  const plain = await jexo('wrap', url)
  expect(plain.stdout).toMatch(/Methods not included\n {2}Scales\/\{scale\}\/Tare\n.*--methods Tare/)
  const written = await jexo('wrap', url, '--methods', 'Tare', '--out', kit)
  expect(written.code).toBe(0)
  const text = readFileSync(kit, 'utf8')
  expect(text).toContain("topic: 'Scales/{scale}/Weight', about: 'Weight of a hive', unit: 'kg', range: [0, 120]")
  expect(text).toContain("labels: { '0': 'fine', '1': 'low battery', '2': 'tipped over' }")
  expect((await jexo('wrap', url, '--methods', 'Nothing')).stderr).toMatch(/"Nothing"/)
}, 60_000)

test('readings have the time, quality and labels of the server, and values of every type', async () => {
  const link = await sharedLink()
  expect(await read(link, 'apiary://weight/ML-01')).toMatchObject({
    ...{ scale: 'ML-01', value: 41, unit: 'kg', range: [0, 120], quality: 'good', isStale: false },
    at: expect.stringMatching(/Z$/),
  })
  say('state ML-02 1')
  say('bad ML-03')
  await until(
    () => read(link, 'apiary://weight/ML-03'),
    ({ quality, status }) => quality === 'bad' && status === 'BadSensorFailure',
  )
  expect(await read(link, 'apiary://state/ML-02')).toMatchObject({ value: 1, label: 'low battery' })
  const odd = ['long', 'large', 'bytes', 'when', 'text', 'not-a-number', 'list']
  const values = await Promise.all(odd.map(async (name) => (await read(link, `apiary://${name}`)).value))
  expect(values).toStrictEqual([
    -5,
    '18446744073709551615',
    'aGl2ZQ==',
    '2026-06-02T06:00:00.000Z',
    'brood',
    'NaN',
    [1, 2.5],
  ])
}, 60_000)

test('a method is a tool with readable refusals', async () => {
  const link = await sharedLink()
  const tare = (await link.tools()).find(({ name }) => name === 'tare')
  expect(tare).toMatchObject({
    description: 'Sets a scale to a weight.',
    inputSchema: { required: ['scale', 'kilograms'], properties: { kilograms: { type: 'number' } } },
    annotations: { readOnlyHint: false },
  })
  expect(await link.call('tare', { scale: 'ML-01', kilograms: 12.5 })).toMatchObject({
    content: [{ text: '{"before":41}' }],
  })
  for (const [scale, kilograms, reason] of [
    ['ML-01', -1, 'The device refused: BadOutOfRange.'],
    ['ML-01/Tare', 1, 'There is no method Scales/ML-01%2FTare/Tare.'],
  ] as const)
    expect(await link.call('tare', { scale, kilograms })).toMatchObject({
      isError: true,
      content: [{ text: expect.stringContaining(reason) }],
    })
}, 60_000)

test('a lost connection is visible, and nodes are resolved again after it returns', async () => {
  const link = await sharedLink()
  await read(link, 'apiary://weight/ML-01')
  say('stop')
  await until(
    () => read(link, 'apiary://status'),
    ({ connection }) => connection.state === 'lost',
  )
  expect(await link.call('tare', { scale: 'ML-01', kilograms: 1 })).toMatchObject({
    content: [{ text: 'The connection to the device is lost; try again later.' }],
  })
  say('start')
  await address()
  say('rename ML-02')
  const { connection } = await until(
    () => read(link, 'apiary://status'),
    (found) => found.connection.state === 'connected',
  )
  expect(connection.losses).toBe(1)
  await until(
    () => read(link, 'apiary://weight/ML-01'),
    ({ value, isStale }) => value === 41 && !isStale,
  )
}, 90_000)

test('a wrong password, and a mode that is not one, are reported', async () => {
  const refused = await linkHere({ APIARY_USER: 'keeper', APIARY_PASSWORD: 'x' })
  expect(await read(refused, 'apiary://status')).toMatchObject({
    connection: { reason: 'The source refused the user or password.' },
  })
  const unknown = await linkHere({ APIARY_SECURITY_MODE: 'Some' })
  expect(await read(unknown, 'apiary://status')).toMatchObject({ connection: { state: 'unavailable' } })
}, 60_000)

test('a packed kit includes the client, encrypts with a known certificate of the server, and logs in', async () => {
  expect((await jexo('pack', kit, '--out', packed)).code).toBe(0)
  const certificate = join(pki, 'own/certs/certificate.pem')
  const secure = { APIARY_SECURITY_MODE: 'SignAndEncrypt', APIARY_USER: 'keeper', APIARY_PASSWORD: 'smoke' }
  // The order matters: a certificate stays trusted once it was accepted.
  const cases: [Record<string, string>, object][] = [
    [secure, { state: 'unavailable', reason: expect.stringContaining('cannot be reached') }],
    [{ ...secure, APIARY_SERVER_CERTIFICATE: certificate }, { state: 'connected' }],
  ]
  const data = newFolder()
  for (const [env, connection] of cases) {
    const link = await linkTo([join(packed, 'apiary.mjs')], { ...env, XDG_DATA_HOME: data })
    expect(await read(link, 'apiary://status')).toMatchObject({ connection })
    if (env.APIARY_SERVER_CERTIFICATE)
      expect(await link.call('tare', { scale: 'ML-03', kilograms: 3 })).not.toHaveProperty('isError')
    await link.close()
  }
}, 120_000)
