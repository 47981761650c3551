import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { planCurl } from 'jexo/curl'
import { newFolder } from '../../support/cli.js'

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

test('operations on a graph stay apart by their name, and merge by it', async () => {
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
  expect(operations.map(({ name }) => name)).toEqual(['hives', 'site', expect.stringMatching(/graphql/)])
  expect(Object.keys(operations[0]?.input.properties ?? {})).toEqual([expect.stringMatching(/most/)])
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

test('a multipart body that was recorded as text has its fields', async () => {
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

test('a multipart body that cannot be read is said', async () => {
  const plan = await planned(
    'odd.har',
    har(entry({ postData: { mimeType: 'multipart/form-data', text: 'odd' } }), entry(json({ a: 1 }))),
  )
  expect(plan.skipped).toMatchObject([{ where: 'odd.har, entry 1', reason: 'its multipart body cannot be read' }])
  expect(plan.operations).toHaveLength(1)
})

test('an .http file has multipart bodies with files, forms in lines, queries in lines and directives', async () => {
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
  expect(skipped).toEqual([])
  expect(operations.map(({ method, path, about }) => [method, path, about])).toEqual([
    ['POST', '/photos', expect.not.stringContaining('@no-redirect')],
    ['POST', '/weights', expect.anything()],
    ['GET', '/find', expect.anything()],
  ])
  expect(operations[0]?.body?.properties).toMatchObject([{ path: ['title'] }, { path: ['photo'], isFile: true }])
  expect(operations[1]?.body?.properties).toMatchObject([{ path: ['hive'] }, { path: ['kg'] }])
  expect(operations[2]?.parameters.map(({ name }) => name)).toEqual(['site', 'most'])
})
