/** The application's own tests, which do not use the tools. */
import assert from 'node:assert/strict'
import { after, before, test } from 'node:test'
import { buildApp } from './app.js'

let server
let base
before(async () => {
  server = buildApp().listen(0, '127.0.0.1')
  await new Promise((resolve) => server.once('listening', resolve))
  base = `http://127.0.0.1:${server.address().port}`
})
after(() => server.close())

test('lists trees of a variety', async () => {
  assert.equal((await (await fetch(`${base}/trees?variety=Bramling`)).json()).length, 8)
  assert.equal((await fetch(`${base}/trees?variety=Pear`)).status, 400)
})

test('tells of a tree that is not there', async () => {
  const answer = await fetch(`${base}/trees/OE-99`)
  assert.equal(answer.status, 404)
  assert.deepEqual(await answer.json(), { error: 'There is no tree OE-99.' })
})

test('records a harvest', async () => {
  const harvest = { tree: 'OE-20', on: '2026-09-12', kg: 40 }
  const headers = { 'content-type': 'application/json' }
  const answer = await fetch(`${base}/harvests`, { method: 'POST', headers, body: JSON.stringify(harvest) })
  assert.equal(answer.status, 201)
  assert.deepEqual(await (await fetch(`${base}/harvests?tree=OE-20`)).json(), [harvest])
})
