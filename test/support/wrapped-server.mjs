/** A stdio server made without Jexo, for tests of wrapping. Arguments: a revision to insist on; `wild` for unusable names. */
import { createInterface } from 'node:readline'

const [revision = '2025-11-25', kind = 'tame'] = process.argv.slice(2)
const send = (message) => process.stdout.write(`${JSON.stringify({ jsonrpc: '2.0', ...message })}\n`)
const text = (value) => ({ content: [{ type: 'text', text: String(value) }] })
const object = { type: 'object' }
const named = (name, more = {}) => ({ name, description: `About ${name}.`, inputSchema: object, ...more })

const tame = [
  named('pid'),
  named('echo', { annotations: { readOnlyHint: true, openWorldHint: false }, _meta: { 'apiary/place': 'ML' } }),
  named('lies', { outputSchema: { ...object, properties: { kg: { type: 'number' } }, required: ['kg'] } }),
  ...['refuse', 'hang', 'die', 'flood', 'wrong', 'grow', 'link', 'ask', 'log', 'roots'].map((name) => named(name)),
]
const wild = [
  named('weigh hive'),
  named('weigh_hive'),
  named('x'.repeat(300)),
  named('twice'),
  named('twice'),
  { name: 'no_schema' },
  { name: 7, inputSchema: object },
  named('ümlaut/\u001b[31m'),
  named('silent', { description: undefined }),
  named('odd_text', { description: { text: 'no text' } }),
  named('odd_hints', { annotations: 'read' }),
  named('odd_icons', { icons: 'one' }),
  null,
  'no_object',
]
let tools = kind === 'wild' ? wild : tame
let asked
let rootChanges = 0

const calls = {
  pid: () => text(process.pid),
  echo: (params) => ({ ...text(JSON.stringify(params)), _meta: { 'apiary/seen': 1 } }),
  lies: () => ({ ...text('heavy'), structuredContent: { kg: 'heavy' }, isError: false }),
  roots: () => text(rootChanges),
  hang: () => undefined,
  die: () => process.exit(3),
  flood: () => {
    process.stderr.write(`${'stderr '.repeat(20_000)}\n`)
    for (let at = 0; at < 2000; at++)
      send({ method: 'notifications/message', params: { level: 'info', data: `line ${at}` } })
    return text('flooded')
  },
  wrong: () => ({ content: 'not an array' }),
  grow: () => {
    tools = [...tools, named('grown')]
    send({ method: 'notifications/tools/list_changed' })
    return text('grown')
  },
  link: () => ({
    content: [
      { type: 'resource_link', uri: 'hives://ML-04', name: 'ML-04' },
      { type: 'resource', resource: { uri: 'hives://ML-04', text: '41.2 kg' } },
    ],
  }),
  log: () => {
    send({ method: 'notifications/message', params: { level: 'warning', logger: 'scale', data: { kg: 41 } } })
    return text('logged')
  },
}

createInterface({ input: process.stdin }).on('line', (line) => {
  const { id, method, params, result, error } = JSON.parse(line)
  const reply = (body) => body !== undefined && send({ id, result: body })
  if (method === undefined) return send({ id: asked, result: text(JSON.stringify(result ?? error)) })
  if (method === 'initialize')
    return reply({
      protocolVersion: revision,
      capabilities: { tools: { listChanged: true }, resources: { subscribe: true }, logging: {} },
      serverInfo: { name: 'hives', version: '2.0.0' },
      instructions: 'Weighs hives.',
    })
  if (method === 'notifications/roots/list_changed') rootChanges++
  if (method === 'tools/list') return reply({ tools })
  if (method === 'resources/list') return reply({ resources: [{ uri: 'hives://ML-04', name: 'ML-04' }] })
  if (method === 'resources/templates/list')
    return reply({
      resourceTemplates: [
        { uriTemplate: 'hives://{code}', name: 'hive' },
        { uriTemplate: '{', name: 'broken' },
      ],
    })
  if (method === 'resources/read') return reply({ contents: [{ uri: params.uri, text: `read ${params.uri}` }] })
  if (method === 'resources/subscribe') {
    reply({})
    return send({ method: 'notifications/resources/updated', params: { uri: params.uri } })
  }
  if (method === 'tools/call' && params.name === 'ask') {
    asked = id
    return send({
      id: 'q1',
      method: 'elicitation/create',
      params: {
        message: 'How heavy?',
        requestedSchema: { type: 'object', properties: { kg: { type: 'number' } } },
      },
    })
  }
  if (method === 'tools/call' && params.name === 'refuse')
    return send({ id, error: { code: -32050, message: 'not today', data: { until: 'Monday' } } })
  if (method === 'tools/call') return reply(calls[params.name]?.(params) ?? undefined)
  if (id !== undefined) reply({})
})
