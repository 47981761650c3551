/** Calls a kit in this process and over web requests, without Node modules. */
import { fetchHandler } from 'jexo/fetch'
import { connect } from 'jexo/link'
import { kit } from './kit.mjs'

const handler = fetchHandler(kit)
globalThis.fetch = (url, init) => handler(new Request(url, init))
const results = []
for (const target of [kit, 'http://localhost/mcp']) {
  const link = await connect(target)
  const { structuredContent } = await link.call('total_weight', { one: 1, other: 41 })
  const { isError } = await link.call('total_weight', { one: 'x' })
  results.push({ ...structuredContent, isError, revision: link.revision })
  await link.close()
}
await handler.close()
console.log(JSON.stringify(results))
