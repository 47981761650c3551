/**
 * A stdio server with every fault, and some unusual but valid behaviour: slow, huge, wrong, silent, crashing. It follows
 * JSON-RPC and little else, and uses nothing of Jexo.
 */
import { createInterface } from 'node:readline'

const send = (message) => process.stdout.write(`${JSON.stringify({ jsonrpc: '2.0', ...message })}\n`)
const text = (value) => ({ content: [{ type: 'text', text: value }] })
const waiting = new Map()
let asked = 0
let hasChanged = false
let roots

/** Sends the client a request, and resolves with its response. */
const ask = (method, params) =>
  new Promise((resolve) => {
    const id = `q${++asked}`
    waiting.set(id, resolve)
    send({ id, method, params })
  })

const dot =
  'iVBORw0KGgoAAAANSUhEUgAAAAgAAAAICAIAAABLbSncAAAAFElEQVR4nGP8z4AdMOEQHxISAAB1VQEOZ2xqVwAAAABJRU5ErkJggg=='
const svg = Buffer.from(
  '<svg xmlns="http://www.w3.org/2000/svg" width="60" height="20"><script>window.top.broken=1</script><rect width="60" height="20" fill="teal"/></svg>',
).toString('base64')
const beep = Buffer.concat([
  Buffer.from('UklGRmQAAABXQVZFZm10IBAAAAABAAEAQB8AAEAfAAABAAgAZGF0YUAAAAA=', 'base64'),
  Buffer.alloc(64, 128),
]).toString('base64')
const bytes = 20 * 1024 * 1024

const form = {
  type: 'object',
  required: ['name', 'box'],
  properties: {
    name: { type: 'string', minLength: 2, description: 'A name', examples: ['Fern'] },
    box: {
      type: 'object',
      required: ['width'],
      properties: { width: { type: 'integer', minimum: 1 }, lid: { type: 'boolean', default: true } },
    },
    tags: { type: 'array', items: { type: 'string' }, uniqueItems: true },
    size: {
      oneOf: [
        { const: 's', title: 'Small' },
        { const: 'l', title: 'Large' },
      ],
    },
    old: { type: 'string', enum: ['a', 'b'], enumNames: ['Alder', 'Birch'] },
    pair: { type: 'array', prefixItems: [{ type: 'string' }, { type: 'number' }], items: false },
    either: {
      anyOf: [
        { type: 'string', title: 'A word' },
        { type: 'number', title: 'A number' },
      ],
    },
    sent: {
      oneOf: [
        {
          type: 'object',
          properties: { by: { const: 'post' }, street: { type: 'string' } },
          required: ['by', 'street'],
        },
        { type: 'object', properties: { by: { const: 'hand' }, to: { type: 'string' } }, required: ['by', 'to'] },
      ],
    },
    when: { type: 'string', format: 'date-time' },
    mail: { type: 'string', format: 'email' },
    anything: true,
    child: { $ref: '#/$defs/tree' },
    maybe: { type: ['string', 'null'] },
  },
  dependentRequired: { mail: ['when'] },
  $defs: { tree: { type: 'object', properties: { label: { type: 'string' }, more: { $ref: '#/$defs/tree' } } } },
}
const any = { type: 'object' }

const tools = {
  fill_form: {
    description: 'Gives back what it was given.',
    inputSchema: form,
    run: (args) => ({ content: [{ type: 'text', text: JSON.stringify(args) }] }),
  },
  slow: {
    description: 'Takes long, and says how far it is.',
    inputSchema: { type: 'object', properties: { steps: { type: 'integer', default: 5 } } },
    run: async ({ steps = 5 }, { token, signal }) => {
      for (let step = 1; step <= steps && !signal.aborted; step++) {
        if (token !== undefined)
          send({ method: 'notifications/progress', params: { progressToken: token, progress: step, total: steps } })
        await new Promise((resolve) => setTimeout(resolve, 150))
      }
      return signal.aborted ? undefined : text('done at last')
    },
  },
  huge: {
    description: 'Twenty megabytes.',
    inputSchema: { type: 'object', properties: { as: { enum: ['text', 'list'] } } },
    run: ({ as = 'text' }) =>
      as === 'text'
        ? text('honey '.repeat(bytes / 6))
        : {
            content: [],
            structuredContent: {
              rows: Array.from({ length: 200_000 }, (_, id) => ({
                id,
                hive: `ML-${id % 12}`,
                note: 'calm, building, with stores, and a queen that was seen',
              })),
            },
          },
  },
  wrong: {
    description: 'Its answer is not what its schema says.',
    inputSchema: any,
    outputSchema: { type: 'object', properties: { kg: { type: 'number' } }, required: ['kg'] },
    run: () => ({ content: [{ type: 'text', text: '{}' }], structuredContent: { kg: 'heavy' } }),
  },
  silent: { description: 'Never answers.', inputSchema: any, run: () => new Promise(() => {}) },
  crash: {
    description: 'Ends the server.',
    inputSchema: any,
    run: () => {
      process.stderr.write('out of honey\n')
      process.exit(3)
    },
  },
  flood: {
    description: 'Says twenty thousand things.',
    inputSchema: { type: 'object', properties: { count: { type: 'integer' } } },
    run: ({ count = 20_000 }) => {
      for (let at = 1; at <= count; at++)
        send({ method: 'notifications/message', params: { level: 'info', logger: 'flood', data: `drop ${at}` } })
      return text('that was all')
    },
  },
  mumble: {
    description: 'Prints where messages belong.',
    inputSchema: any,
    run: () => {
      process.stdout.write('Listening on port 3000\n')
      return text('mumbled')
    },
  },
  shapes: {
    description: 'Every kind of content.',
    inputSchema: any,
    run: () => ({
      content: [
        {
          type: 'text',
          text: '# Robbing\n\n- **close** the entrance\n- [look](javascript:window.top.broken=1)\n- [page](https://example.org/)\n\n<img src=x onerror="window.top.broken=1"><script>window.top.broken=1</script>\n\n![far](https://example.org/far.png)',
        },
        { type: 'image', data: dot, mimeType: 'image/png' },
        { type: 'image', data: svg, mimeType: 'image/svg+xml' },
        { type: 'image', data: 'AAAA', mimeType: 'image/png' },
        { type: 'audio', data: beep, mimeType: 'audio/wav' },
        { type: 'resource_link', uri: 'odd://page', name: 'page', title: 'The page' },
        { type: 'resource', resource: { uri: 'odd://inside', mimeType: 'text/plain', text: 'what is inside' } },
        { type: 'text', text: '[{"hive":"ML-02","kg":31},{"hive":"ML-01","kg":40}]' },
      ],
    }),
  },
  ask_person: {
    description: 'Asks before it goes on.',
    inputSchema: any,
    run: async () => {
      const { result, error } = await ask('elicitation/create', {
        message: 'How many frames of brood?',
        requestedSchema: {
          type: 'object',
          required: ['frames'],
          properties: {
            frames: { type: 'integer', minimum: 0, maximum: 12, title: 'Frames' },
            temper: {
              type: 'string',
              oneOf: [
                { const: 'c', title: 'Calm' },
                { const: 'd', title: 'Defensive' },
              ],
              default: 'c',
            },
          },
        },
      })
      return text(
        error ? `refused: ${error.message}` : `${result.action} ${JSON.stringify(result.content ?? null)}`,
      )
    },
  },
  send_away: {
    description: 'Sends the person to a page.',
    inputSchema: any,
    run: async () => {
      const { result, error } = await ask('elicitation/create', {
        mode: 'url',
        elicitationId: 'e1',
        message: 'Sign in first.',
        url: 'https://bees.example.org/sign-in?next=1',
      })
      return text(error ? `refused: ${error.message}` : result.action)
    },
  },
  ask_model: {
    description: 'Asks a model.',
    inputSchema: any,
    run: async () => {
      const { result, error } = await ask('sampling/createMessage', {
        systemPrompt: 'You keep bees.',
        maxTokens: 200,
        messages: [{ role: 'user', content: { type: 'text', text: 'Is the colony about to swarm?' } }],
      })
      return text(error ? `refused ${error.code}: ${error.message}` : `${result.model}: ${result.content.text}`)
    },
  },
  ask_folders: {
    description: 'Asks for the folders.',
    inputSchema: any,
    run: async () => {
      const { result, error } = await ask('roots/list')
      return text(error ? `refused ${error.code}` : JSON.stringify(result.roots))
    },
  },
  told_folders: {
    description: 'How often it was told of other folders.',
    inputSchema: any,
    run: () => text(String(roots ?? 0)),
  },
  change: {
    description: 'Changes what there is.',
    inputSchema: any,
    run: () => {
      hasChanged = true
      send({ method: 'notifications/tools/list_changed' })
      return text('changed')
    },
  },
  refuse: {
    description: 'Answers with an error of the protocol.',
    inputSchema: any,
    run: () => Promise.reject({ code: -32603, message: 'the hive is shut', data: { since: '2026-06-01' } }),
  },
  'odd name/ü': {
    inputSchema: { type: 'object', properties: { x: { $ref: 'https://example.org/nowhere.json' } } },
    run: () => text('ok'),
  },
}
const late = { name: 'late_tool', description: 'Came later.', inputSchema: any }

function listed() {
  const all = Object.entries(tools).map(([name, { run: _, ...rest }]) => ({ name, ...rest }))
  if (!hasChanged) return all
  return [
    ...all
      .filter(({ name }) => name !== 'mumble')
      .map((tool) => (tool.name === 'slow' ? { ...tool, description: 'Now even slower.' } : tool)),
    late,
  ]
}

const answers = {
  initialize: ({ protocolVersion }) => ({
    protocolVersion,
    capabilities: {
      tools: { listChanged: true },
      resources: { subscribe: true },
      prompts: {},
      logging: {},
      completions: {},
    },
    serverInfo: { name: 'odd', version: '0' },
  }),
  ping: () => ({}),
  'tools/list': () => ({ tools: listed() }),
  'tools/call': ({ name, arguments: args = {}, _meta }, more) =>
    tools[name].run(args, { token: _meta?.progressToken, ...more }),
  'resources/list': () => ({ resources: [{ uri: 'odd://page', name: 'page', mimeType: 'text/markdown' }] }),
  'resources/templates/list': () => ({
    resourceTemplates: [{ uriTemplate: 'odd://{broken', name: 'broken' }],
  }),
  'resources/read': ({ uri }) => ({
    contents: [{ uri, mimeType: 'text/markdown', text: '## The page\n\nwhat it says' }],
  }),
  'resources/subscribe': ({ uri }) => {
    setTimeout(() => send({ method: 'notifications/resources/updated', params: { uri } }), 50)
    return {}
  },
  'resources/unsubscribe': () => ({}),
  'prompts/list': () => ({
    prompts: [{ name: 'letter', description: 'A letter.', arguments: [{ name: 'hive', required: true }] }],
  }),
  'prompts/get': ({ arguments: { hive } }) => ({
    messages: [
      { role: 'user', content: { type: 'text', text: `Write about ${hive}.` } },
      { role: 'assistant', content: { type: 'text', text: 'Dear keeper,' } },
    ],
  }),
  'completion/complete': ({ argument }) => ({
    completion: { values: ['ML-01', 'ML-02', 'ML-12'].filter((code) => code.includes(argument.value)) },
  }),
  'logging/setLevel': ({ level }) => {
    send({ method: 'notifications/message', params: { level: 'notice', data: `from now on ${level}` } })
    return {}
  },
}

const underWay = new Map()
for await (const line of createInterface({ input: process.stdin })) {
  const message = JSON.parse(line)
  if (message.method === undefined) waiting.get(message.id)?.(message)
  else if (message.method === 'notifications/cancelled') underWay.get(message.params.requestId)?.abort()
  else if (message.method === 'notifications/roots/list_changed') roots = (roots ?? 0) + 1
  else if (message.id !== undefined) {
    const controller = new AbortController()
    underWay.set(message.id, controller)
    Promise.resolve()
      .then(() => answers[message.method](message.params ?? {}, { signal: controller.signal }))
      .then((result) => result !== undefined && send({ id: message.id, result }))
      .catch((error) =>
        send({ id: message.id, error: error.code ? error : { code: -32601, message: String(error) } }),
      )
  }
}
