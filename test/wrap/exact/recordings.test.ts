import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import { planCurl, wrapCurl } from 'jexo/curl'
import { connect } from 'jexo/node'
import { newFolder } from '../../support/cli.js'
import { Upstream } from '../../support/upstream.js'

const folder = newFolder()
const planned = async (name: string, text: string) => {
  writeFileSync(join(folder, name), text)
  return planCurl(join(folder, name), { writes: true, catalogue: false })
}
const entry = (request: object) => ({
  request: { method: 'POST', url: 'https://hives.example/graphql', headers: [], ...request },
})
const har = (...entries: object[]) => JSON.stringify({ log: { entries } })
const json = (value: object) => ({ postData: { mimeType: 'application/json', text: JSON.stringify(value) } })

test('GraphQL operations are merged by name only', async () => {
  const query = 'query Hives($most: Int) { hives(most: $most) { code } }'
  const { operations } = await planned(
    'graph.har',
    har(
      entry(json({ operationName: 'Hives', query, variables: { most: 3 } })),
      entry(json({ operationName: 'Site', query: 'query Site { site }', variables: {} })),
      entry(json({ operationName: 'Hives', query, variables: { most: 5 } })),
      entry(json({ query: '{ weather }' })),
    ),
  )
  expect(operations.map(({ name }) => name)).toStrictEqual(['hives', 'site', expect.stringMatching(/graphql/)])
  expect(Object.keys(operations[0]?.input.properties ?? {})).toStrictEqual([expect.stringMatching(/most/)])
})

const boundary = '----WebKitFormBoundaryx'
const multipart = [
  `--${boundary}`,
  'Content-Disposition: form-data; name="title"',
  '',
  'A frame',
  `--${boundary}`,
  'Content-Disposition: form-data; name="photo"; filename="frame.png"',
  'Content-Type: image/png',
  '',
  'binary',
  `--${boundary}--`,
  '',
]

test('a multipart body recorded as text keeps its fields', async () => {
  const { operations } = await planned(
    'photo.har',
    har(
      entry({ postData: { mimeType: `multipart/form-data; boundary=${boundary}`, text: multipart.join('\r\n') } }),
    ),
  )
  expect(operations[0]?.body?.properties).toMatchObject([
    { path: ['title'] },
    { path: ['photo'], isFile: true, mediaType: 'image/png' },
  ])
})

test('an unreadable multipart body is reported', async () => {
  const plan = await planned(
    'odd.har',
    har(entry({ postData: { mimeType: 'multipart/form-data', text: 'odd' } }), entry(json({ a: 1 }))),
  )
  expect(plan.skipped).toMatchObject([{ where: 'odd.har, entry 1', reason: 'its multipart body cannot be read' }])
  expect(plan.operations).toHaveLength(1)
})

test('an .http file can have multipart bodies with files, forms and queries over several lines, and directives', async () => {
  const { operations, skipped } = await planned(
    'calls.http',
    `### Add a photo
# @no-redirect
POST https://hives.example/photos
Content-Type: multipart/form-data; boundary=x

--x
Content-Disposition: form-data; name="title"

A frame
--x
Content-Disposition: form-data; name="photo"; filename="frame.png"
Content-Type: image/png

< ./frame.png
--x--

> {% client.log('done') %}

### Weigh
POST https://hives.example/weights
Content-Type: application/x-www-form-urlencoded

hive=ML-01
&kg=41

###
GET https://hives.example/find
    ?site=Ivy
    &most=3
`,
  )
  expect(skipped).toStrictEqual([])
  expect(operations.map(({ method, path, about }) => [method, path, about])).toStrictEqual([
    ['POST', '/photos', expect.not.stringContaining('@no-redirect')],
    ['POST', '/weights', expect.anything()],
    ['GET', '/find', expect.anything()],
  ])
  expect(operations[0]?.body?.properties).toMatchObject([{ path: ['title'] }, { path: ['photo'], isFile: true }])
  expect(operations[1]?.body?.properties).toMatchObject([{ path: ['hive'] }, { path: ['kg'] }])
  expect(operations[2]?.parameters.map(({ name }) => name)).toStrictEqual(['site', 'most'])
})

test('generated variables are generated for each call, and can be passed', async () => {
  const upstream = await Upstream.start(() => ({ body: {} }))
  const file = join(folder, 'dynamic.http')
  writeFileSync(
    file,
    `POST ${upstream.url}/visits/{{$guid}}?at={{$isoTimestamp}}
Content-Type: application/json

{ "id": "{{$random.uuid}}", "order": "no-{{$randomInt 5 6}}", "at": {{$timestamp}}, "yesterday": {{$timestamp -1 d}}, "text": "{{$timestamp}}", "frames": {{$randomInt 3 4}}, "env": "{{$processEnv HIVE}}" }
`,
  )
  const options = { writes: true, catalogue: false, allowPrivateNetwork: true }
  const parts = await wrapCurl(file, options)
  const link = await connect(defineKit({ name: 'k', version: '1', about: 'x', parts }))
  const [tool] = await link.tools()
  expect(tool?.inputSchema.required).toStrictEqual(['processenv_hive'])
  const input = { processenv_hive: 'ML-01' }
  const sent = async (args: object) => {
    const { isError, content } = await link.call(String(tool?.name), args as never)
    expect([isError, isError ? content : '']).toStrictEqual([undefined, ''])
    const { target, body } = upstream.seen.at(-1) ?? { target: '', body: '' }
    return { target, ...JSON.parse(body) }
  }
  const [first, second] = [await sent(input), await sent({ ...input, id: 'mine', at_2: 7 })]
  const uuid = /^[\da-f]{8}(-[\da-f]{4}){3}-[\da-f]{12}$/
  expect(first).toMatchObject({ id: expect.stringMatching(uuid), order: 'no-5', frames: 3, env: 'ML-01' })
  expect(first.target).toMatch(/^\/visits\/[\da-f-]{36}\?at=\d{4}-\d\d-\d\dT\d\d(:|%3A)\d\d(:|%3A)\d\d\.000Z$/)
  expect(first.at - first.yesterday).toBe(86_400)
  expect(first.text).toBe(String(first.at))
  expect(second).toMatchObject({ id: 'mine', at: 7 })
  expect(second.target).not.toBe(first.target)
  await link.close()
  await upstream.end()
})

test('a file in a form keeps its file name', async () => {
  const { operations } = await planned(
    'form.sh',
    `curl -F 'photo=@frames/one.png' -F 'plan=@x.pdf;filename="site plan.pdf";type=application/pdf' https://hives.example/photos`,
  )
  expect(operations[0]?.body?.properties).toMatchObject([
    { path: ['photo'], fileName: 'one.png' },
    { path: ['plan'], fileName: 'site plan.pdf', mediaType: 'application/pdf' },
  ])
})
