import { content, defineKit, type Part, tool, view } from 'jexo'
import { connect } from 'jexo/link'
import { lookAt } from '../../src/vet/gather.js'
import { vet } from '../../src/vet/vet.js'
import { isDeclared, remoteReferences } from '../../src/vet/views/references.js'

const about = 'Latest reading of the scale under one hive, in kilograms.'
const cardOf = (page: string, more: object = {}) =>
  view('ui://hives/card', { about: 'A hive at a glance.', page, ...more })
async function findingsOf(...parts: Part[]) {
  const kit = defineKit({ name: 'marsh-hives', version: '1.0.0', about: 'Hives of the marsh.', parts })
  const link = await connect(kit, { views: true })
  const { findings } = await vet(await lookAt(link))
  return findings
    .filter(({ rule }) => rule.startsWith('view-'))
    .map(({ rule, location }) => `${rule} at ${location}`)
}
const page = '<!doctype html><html><body><h1>Hive</h1></body></html>'

test('a view that hosts can show has no findings', async () => {
  const weigh = tool('weigh_hive', { about, effect: 'read', view: cardOf(page), run: () => ({ kg: 41 }) })
  expect(await findingsOf(weigh)).toStrictEqual([])
})

test('a faulty page is reported by reading it, and its tool by calling it once', async () => {
  const html = `${page}<link rel="stylesheet" href="https://fonts.example/a.css"><img src="//pictures.example/a.png">
    <style>h1 { background: url("https://pictures.example/b.png") }</style>
    <iframe src="https://map.example/x"></iframe>
    <script type="application/json">${JSON.stringify({ hives: 'x'.repeat(3000) })}</script>
    <script>fetch("https://api.example/x"); new WebSocket('wss://scales.example'); host.say("OK"); host.say("I have moved the hive ML-04 to Quarry Field.")</script>`
  let calls = 0
  const silent = tool('weigh_hive', {
    about,
    effect: 'read',
    view: cardOf(html, { loads: ['https://*.example'], connects: ['https://api.example'] }),
    run: () => {
      calls++
      return content.image(new Uint8Array([1]), 'image/png')
    },
  })
  const writes = tool('move_hive', { about, effect: 'change', view: silent.view as never, run: () => ++calls })
  expect(await findingsOf(silent, writes)).toStrictEqual([
    'view-remote at resource ui://hives/card',
    'view-remote at resource ui://hives/card',
    'view-data at resource ui://hives/card',
    'view-no-text at tool weigh_hive',
    'view-message at resource ui://hives/card',
  ])
  expect(calls).toBe(1)
})

test.each<[string, string, object, boolean]>([
  ['<script src="https://a.example/x.js"></script>', 'loads', { resourceDomains: ['https://a.example'] }, true],
  [
    '<script src="https://a.example:8443/x.js"></script>',
    'loads',
    { resourceDomains: ['https://a.example'] },
    false,
  ],
  ['<script src="https://x.a.example/x.js"></script>', 'loads', { resourceDomains: ['https://*.a.example'] }, true],
  ['<script src="http://a.example/x.js"></script>', 'loads', { resourceDomains: ['https://a.example'] }, false],
  ['<style>@import "https://a.example/x.css"</style>', 'loads', {}, false],
  ['<p style="background:url(https://a.example/x.png)">', 'loads', {}, false],
  ['<iframe src="https://a.example"></iframe>', 'frames', { frameDomains: ['https://a.example'] }, true],
  [
    '<script>new EventSource(`https://a.example/x`)</script>',
    'connects',
    { connectDomains: ['https://a.example'] },
    true,
  ],
])('%s needs %s', (html, needs, csp, declared) => {
  const [reference] = remoteReferences(html)
  expect(reference?.needs).toBe(needs)
  expect(reference && isDeclared(reference, csp)).toBe(declared)
})

test.each([
  '<a href="https://a.example">',
  '<script src="./x.js"></script>',
  '<img src="data:image/png;base64,x">',
  '<script type="application/json">{"a":"fetch(\\"https://a.example\\")"}</script>',
])('%s loads nothing from other origins', (html) => {
  expect(remoteReferences(html)).toStrictEqual([])
})
