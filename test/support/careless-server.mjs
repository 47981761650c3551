/** A hand-written server whose tools each have a different fault. */
import { createInterface } from 'node:readline'

const send = (m) => process.stdout.write(`${JSON.stringify({ jsonrpc: '2.0', ...m })}\n`)
const t = (name, properties, required = Object.keys(properties), outputSchema) => ({
  name,
  description: `A tool for trials, ${name}`,
  inputSchema: { type: 'object', properties, required, additionalProperties: false },
  annotations: { readOnlyHint: true },
  ...(outputSchema ? { outputSchema } : {}),
})
const tools = [
  t('crasher', { text: { type: 'string' } }),
  t('hanger', { count: { type: 'integer', minimum: 0 } }),
  t('tracer', { list: { type: 'array', items: { type: 'integer' } } }),
  t('coder', { name: { type: 'string', maxLength: 20 } }),
  t('liar', { id: { type: 'integer' } }, ['id'], {
    type: 'object',
    properties: { kg: { type: 'number' } },
    required: ['kg'],
  }),
  t('lax', { day: { type: 'string', format: 'date' } }),
  t('thrower', { day: { type: 'string' } }),
  t('maker', { text: { type: 'string', minLength: 5, maxLength: 1 } }),
  t('good', { hive: { type: 'string', pattern: '^ML-\\d\\d$' } }),
  { ...t('writer', {}), annotations: {} },
]
createInterface({ input: process.stdin }).on('line', (line) => {
  const { id, method, params } = JSON.parse(line)
  if (id === undefined) return
  if (method === 'initialize')
    return send({
      id,
      result: {
        protocolVersion: params.protocolVersion,
        capabilities: { tools: {} },
        serverInfo: { name: 'careless', version: '1' },
      },
    })
  if (method === 'tools/list') return send({ id, result: { tools } })
  if (method !== 'tools/call') return send({ id, error: { code: -32601, message: `no ${method}` } })
  const a = params.arguments
  const ok = (text, more = {}) => send({ id, result: { content: [{ type: 'text', text }], ...more } })
  const no = (text) => ok(text, { isError: true })
  switch (params.name) {
    case 'crasher':
      if (typeof a.text === 'string' && a.text.length > 25) process.exit(3)
      return typeof a.text === 'string' ? ok('x') : no('text?')
    case 'hanger':
      if (a.count > 1000) {
        setInterval(
          () =>
            send({
              method: 'notifications/progress',
              params: { progressToken: params._meta?.progressToken, progress: Date.now() },
            }),
          100,
        )
        return
      }
      return Number.isInteger(a.count) && a.count >= 0 ? ok('y') : no('count?')
    case 'tracer':
      try {
        if (!Array.isArray(a.list)) return no('list?')
        if (a.list.some((n) => n > 99)) null.x
        return ok('z')
      } catch (e) {
        return no(e.stack)
      }
    case 'coder':
      if (typeof a.name !== 'string') return send({ id, error: { code: -32602, message: 'name' } })
      if (/\W/.test(a.name)) return send({ id, error: { code: -32603, message: 'odd name' } })
      return ok('w')
    case 'liar':
      return typeof a.id === 'number' && Object.keys(a).length === 1 && Number.isInteger(a.id)
        ? ok('{}', { structuredContent: a.id % 2 ? { kg: 'x' } : { kg: 1 } })
        : no('id?')
    case 'lax':
      return ok('whatever')
    case 'thrower':
      return typeof a.day === 'string' && a.day !== '' && Object.keys(a).length === 1
        ? ok('v')
        : a.day === ''
          ? no("TypeError: Cannot read properties of undefined (reading 'on')")
          : no('day?')
    case 'good':
      return Object.keys(a).length === 1 && /^ML-\d\d$/.test(a.hive) ? ok('fine') : no('No such hive.')
  }
})
