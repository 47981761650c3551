/** An old server: stdio only, with names and descriptions that a model cannot use. */
import { createInterface } from 'node:readline'

const tools = [
  {
    name: 'get',
    description: 'gets it',
    inputSchema: { type: 'object', properties: { s: { type: 'string' } }, required: ['s'] },
  },
  { name: 'reset', description: 'resets', inputSchema: { type: 'object', properties: {} } },
]
const weather = { 'Marsh Lane': '14 °C, light wind', 'Quarry Field': '12 °C, gusts', 'Orchard End': '15 °C, calm' }

const results = {
  initialize: ({ protocolVersion }) => ({
    protocolVersion,
    capabilities: { tools: {} },
    serverInfo: { name: 'old-station', version: '0.3.1' },
  }),
  ping: () => ({}),
  'tools/list': () => ({ tools }),
  'tools/call': ({ name, arguments: { s } = {} }) =>
    name === 'get' && s in weather
      ? { content: [{ type: 'text', text: weather[s] }] }
      : { isError: true, content: [{ type: 'text', text: `no station ${s}` }] },
}
for await (const line of createInterface({ input: process.stdin })) {
  const { id, method, params = {} } = JSON.parse(line)
  if (id === undefined) continue
  const answer = results[method]
    ? { result: results[method](params) }
    : { error: { code: -32601, message: `no method ${method}` } }
  console.log(JSON.stringify({ jsonrpc: '2.0', id, ...answer }))
}
