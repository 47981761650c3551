/** The application's own tests, which do not use the tools. */
import assert from 'node:assert/strict'
import { test } from 'node:test'
import { buildApp } from './app.js'

test('lists trees of a variety', async () => {
  const app = await buildApp()
  const answer = await app.inject('/trees?variety=Bramling')
  assert.equal(answer.statusCode, 200)
  assert.equal(answer.json().length, 8)
  assert.equal((await app.inject('/trees?variety=Pear')).statusCode, 400)
  await app.close()
})

test('tells of a tree that is not there', async () => {
  const app = await buildApp()
  assert.deepEqual((await app.inject('/trees/OE-99')).json(), { error: 'There is no tree OE-99.' })
  await app.close()
})

test('records a harvest', async () => {
  const app = await buildApp()
  const harvest = { tree: 'OE-20', on: '2026-09-12', kg: 40 }
  const answer = await app.inject({ method: 'POST', url: '/harvests', payload: harvest })
  assert.equal(answer.statusCode, 201)
  assert.deepEqual((await app.inject('/harvests?tree=OE-20')).json(), [harvest])
  assert.equal(
    (await app.inject({ method: 'POST', url: '/harvests', payload: { ...harvest, kg: -1 } })).statusCode,
    400,
  )
  await app.close()
})
