import { createParser } from 'eventsource-parser'
import fc from 'fast-check'
import * as graphql from 'graphql'
import ts from 'typescript'
import { readChallenge } from '../../src/access/sign-in/sign-in.js'
import { maskedUrl } from '../../src/access/sign-in/steps.js'
import { parseTokenFile } from '../../src/access/token-file.js'
import { parseAnswers } from '../../src/answers/answers-file.js'
import { Engine } from '../../src/engine/engine.js'
import { RunningKit } from '../../src/engine/running-kit.js'
import { isJexoError } from '../../src/errors.js'
import { escapeControls } from '../../src/escape/terminal.js'
import { literal } from '../../src/escape/typescript.js'
import { shapeOf } from '../../src/host-config/shape/shape-of.js'
import { globMatcher } from '../../src/kit/glob.js'
import { interpretingValidator } from '../../src/kit/interpreting-validator.js'
import { defineKit } from '../../src/kit/kit.js'
import { isRefusal } from '../../src/kit/refusal.js'
import { tool } from '../../src/kit/tool.js'
import { withSamples } from '../../src/kit/view.js'
import { messagesIn, parseJson } from '../../src/protocol/messages.js'
import { isSecretName, isSecretValue, maskSecrets } from '../../src/protocol/secrets.js'
import { parseUriTemplate } from '../../src/protocol/uri-template.js'
import { parseQuestions } from '../../src/rehearse/questions.js'
import { readTape } from '../../src/tape/read.js'
import { readValue } from '../../src/target/arguments.js'
import { Intake } from '../../src/transport/intake.js'
import { LineSplitter } from '../../src/transport/line-splitter.js'
import { viewData } from '../../src/vet/rules/view-data.js'
import { viewLarge } from '../../src/vet/rules/view-large.js'
import { viewMessage } from '../../src/vet/rules/view-message.js'
import { viewRemote } from '../../src/vet/rules/view-remote.js'
import { viewType } from '../../src/vet/rules/view-type.js'
import type { Snapshot } from '../../src/vet/snapshot.js'
import { inlined, localReferences } from '../../src/view/build/inline.js'
import { policyOf } from '../../src/view/frame/policy.js'
import { proxyPage } from '../../src/view/frame/proxy-page.js'
import { withReporter } from '../../src/view/frame/reporter.js'
import { aboutIn, argumentsIn, subcommandsIn } from '../../src/wrap/command/help.js'
import { planRequests } from '../../src/wrap/curl/plan.js'
import { requestsIn } from '../../src/wrap/curl/read.js'
import { channelsOf } from '../../src/wrap/feed/channel.js'
import { fieldsOfRecords } from '../../src/wrap/feed/infer/records.js'
import { topicMaker } from '../../src/wrap/feed/sources/topic-of.js'
import { valueInText } from '../../src/wrap/feed/sources/value-in.js'
import { patternsOf, topicPattern } from '../../src/wrap/feed/topics.js'
import { passagesOf } from '../../src/wrap/folder/passages.js'
import { addedToKit } from '../../src/wrap/kit-writer/add-to-kit.js'
import { readMarks } from '../../src/wrap/kit-writer/written-kit.js'
import { Documents } from '../../src/wrap/openapi/documents.js'
import { parseText } from '../../src/wrap/openapi/parse-text.js'
import { planOperations } from '../../src/wrap/openapi/plan.js'
import { readingOf } from '../../src/wrap/openapi/read.js'
import { boundShape } from '../../src/wrap/openapi/shape.js'
import { foreignStatement } from '../../src/wrap/sql/foreign.js'
import { queriesIn } from '../../src/wrap/sql/queries.js'
import type { SqlDialect } from '../../src/wrap/sql/tokens.js'
import { anyText } from '../support/text.js'

/** A parser of untrusted input, with texts to start from and its significant words. */
export interface ParserTarget {
  readonly name: string
  readonly inputs: fc.Arbitrary<string>
  /** Throws only errors for people: a `JexoError`, a `Refusal`, or an error that the target names. */
  run(input: string): unknown
}

/** A seed with pieces cut, repeated and moved, and words inserted: close enough to valid input. */
function mutated(seeds: readonly string[], words: readonly string[]): fc.Arbitrary<string> {
  const text = fc.oneof(fc.constantFrom(...words), fc.constantFrom(...everywhere), anyText({ maxLength: 8 }))
  const change = fc.record({
    kind: fc.nat(5),
    at: fc.nat(2000),
    length: fc.nat(60),
    text,
    times: fc.oneof(fc.constant(1), fc.nat(40), fc.constant(3000)),
  })
  return fc.tuple(fc.constantFrom(...seeds), fc.array(change, { maxLength: 5 })).map(([seed, changes]) =>
    changes
      .reduce((so, { kind, at, length, text: word, times }) => {
        const from = so.length === 0 ? 0 : at % so.length
        const piece = so.slice(from, from + length)
        const before = so.slice(0, from)
        const after = so.slice(from + length)
        if (so.length > 60_000) return so.slice(0, 60_000)
        if (kind === 0) return before + after
        if (kind === 1) return before + piece.repeat(times + 1) + after
        if (kind === 2) return before + word.repeat(times) + piece + after
        if (kind === 3) return after + piece + before
        if (kind === 4) return before + word + after
        return so.slice(0, from)
      }, seed)
      .slice(0, 60_000),
  )
}
const everywhere = [
  '\u0000',
  '\n',
  '\r\n',
  '\u2028',
  '\\',
  '"',
  "'",
  '`',
  '{',
  '}',
  '[',
  ']',
  '(',
  ')',
  '<',
  '>',
  '__proto__',
  'constructor',
  '${',
  '$(',
  '%00',
  '%2e%2e',
  '\ue000',
  '\ud800',
  '9'.repeat(400),
  '-1e999',
  ' '.repeat(50),
  '../',
  '//',
  '/*',
  '*/',
  '--',
  ':',
  ',',
  '&',
  '?',
  '#',
  '*',
]

const meant = (error: unknown) => isJexoError(error) || isRefusal(error)
const whereMeant = <T>(run: () => T, also: (error: unknown) => boolean = () => false): T | undefined => {
  try {
    return run()
  } catch (error) {
    if (meant(error) || also(error)) return undefined
    throw error
  }
}

const kit = defineKit({
  name: 'hives',
  version: '1.0.0',
  parts: [
    tool('weigh_hive', {
      about: 'Weighs.',
      effect: 'read',
      input: {
        type: 'object',
        properties: { hive: { type: 'string', pattern: '^[A-Z]+$' } },
        additionalProperties: false,
      },
      run: ({ hive }) => `${hive}`,
    }),
  ],
})
const running = new RunningKit(kit, { environment: {}, validator: interpretingValidator, report: () => {} })

function converse(text: string): void {
  const intake: Intake = new Intake(
    () => engine,
    (sent) => void JSON.stringify(sent),
  )
  const engine: Engine = new Engine(
    running,
    { send: (message, related) => intake.send(message, related), settled: (id) => intake.settled(id) },
    {},
  )
  for (const line of text.split('\n').slice(0, 3000)) intake.takeText(line)
  engine.close('it is over')
}

const initialize =
  '{"jsonrpc":"2.0","id":1,"method":"initialize","params":{"protocolVersion":"2025-03-26","capabilities":{},"clientInfo":{"name":"x","version":"1"}}}'
const rpc = [
  initialize,
  '{"jsonrpc":"2.0","method":"notifications/initialized"}',
  '{"jsonrpc":"2.0","id":"a","method":"tools/call","params":{"name":"weigh_hive","arguments":{"hive":"ML"},"_meta":{"progressToken":1}}}',
  '[{"jsonrpc":"2.0","id":2,"method":"ping"},{"jsonrpc":"2.0","id":3,"method":"tools/list","params":{"cursor":"x"}}]',
  '{"jsonrpc":"2.0","method":"notifications/cancelled","params":{"requestId":2}}',
  '{"jsonrpc":"2.0","id":4,"result":{}}',
]

const sqlSeeds = [
  `select h.hive, count(*) from "hives" h -- comment\nwhere h.site = 'Marsh' and h.note like $a$x$a$ /* b /* c */ */ group by 1;`,
  '-- Batches.\n-- @name batches\n-- @param {integer} most How many\n-- @default 20\nselect * from batches limit :most;\nselect 1',
  "insert into t values (e'\\'', x'00', \"a\"\"b\", `c`, [d], 1.5e3, :name, ?)",
]
const sqlWords = [
  'select',
  'into',
  'outfile',
  "''",
  '--',
  '/*',
  '*/',
  '/*!',
  '$$',
  '$a$',
  ';',
  ':x',
  '`',
  '"',
  '@@',
  'U&',
  '#',
]
const sqlTarget = (dialect: SqlDialect): ParserTarget => ({
  name: `SQL of ${dialect}`,
  inputs: mutated(sqlSeeds, sqlWords),
  run: (text) => {
    whereMeant(() => foreignStatement(text, dialect))
    queriesIn(text, 'x.sql', dialect)
  },
})

const curlSeeds = [
  '# Hives\n\n```sh\ncurl -X POST \'https://hives.example/hives/ML-04?x=1\' -H "Authorization: Bearer $TOKEN" -d \'{"site":"Marsh"}\'\n```\n',
  "curl https://hives.example/a \\\n  --data-urlencode name=@file -F 'pic=@x.png;type=image/png' -u user:pass $'\\u0041\\x42'",
  'curl.exe --json @- --next -G https://{{host}}/a/$ID -b "a=b"',
]
const har = JSON.stringify({
  log: {
    entries: [
      {
        request: {
          method: 'POST',
          url: 'https://hives.example/a/1?x=2',
          headers: [{ name: 'X-A', value: 'b' }],
          postData: { mimeType: 'application/json', text: '{"a":[1,{"b":null}]}' },
        },
        response: { content: { mimeType: 'application/json' } },
      },
    ],
  },
})
const requests = (name: string) => (text: string) =>
  whereMeant(() => {
    const plan = planRequests(requestsIn(text, name), { writes: true })
    literal(plan.operations, 0)
  })

const openapi = `openapi: 3.1.0
info: { title: Hives, version: '1' }
servers: [{ url: 'https://hives.example/{v}', variables: { v: { default: v1 } } }]
paths:
  /hives/{hive}:
    parameters: [{ name: hive, in: path, required: true, schema: { $ref: '#/components/schemas/Code' } }]
    get: { operationId: one, responses: { '200': { description: It., content: { application/json: { schema: { $ref: '#/components/schemas/Hive' } } } } } }
components:
  schemas:
    Code: { type: string, pattern: '^[A-Z]+$' }
    Hive: { type: object, properties: { code: { $ref: '#/components/schemas/Code' }, near: { $ref: '#/components/schemas/Hive' } } }
`
function planOf(text: string): void {
  whereMeant(() => {
    const document = parseText(text, 'x.yaml')
    boundShape(document, 'x.yaml')
    const documents = new Documents('file:///x.yaml', new Map([['file:///x.yaml', document]]), [], new Map())
    literal(planOperations(readingOf(documents), { writes: true }).operations, 0)
  })
}

const graph = graphql.buildSchema(
  'type Query { hives(site: String): [Hive!]! me: Hive } type Hive { code: String! near: Hive }',
)
const tape = [
  '{"version":1,"kind":"tape","startedAt":"2026-06-01T00:00:00.000Z","writer":"jexo 0.1.0"}',
  '{"at":1,"target":"s1","kind":"message","from":"client","message":{"jsonrpc":"2.0","id":1,"method":"ping"}}',
  '{"at":2,"target":"s1","kind":"state","state":"open","text":"x","label":"y"}',
].join('\n')
const config = (file: string) => (text: string) =>
  whereMeant(() => {
    const shape = shapeOf(file, text)
    shape.read(file, text)
    const after = shape.put(file, text, 'hives', { command: 'node', args: ['x.mjs'] }, [])
    shape.remove(file, after, 'hives')
  })

const page = `<!doctype html><html><head><link rel="stylesheet" href="https://a.example/x.css"><style>h1 { background: url("https://a.example/x.png") }</style></head>
<body><script type="application/json">{"hives":[1,2,3]}</script><script type="module">import { a } from './a.js'; fetch("https://a.example/x"); host.say('Continue')</script></body></html>`

/** Everything that reads the page of a view: the rules of vet, the builder, the frame. */
function readPage(html: string): void {
  const seen = { uri: 'ui://a/b', tools: ['weigh_hive'], mimeType: 'text/html', html, meta: {}, differs: false }
  const snapshot = { name: 'a', version: '1', views: [seen] } as unknown as Snapshot
  for (const rule of [viewRemote, viewData, viewMessage, viewLarge, viewType]) rule.check(snapshot)
  localReferences(html)
  inlined(html, [{ path: 'a.js', text: html }])
  withReporter(html)
  withSamples(html, [{ tool: html, shows: true, input: html }])
}

export const parserTargets: readonly ParserTarget[] = [
  {
    name: 'pages of views',
    inputs: mutated(
      [page],
      ['<script', '</script>', '<script>', '.say("', 'url(', '<!--', '-->', '<style>', 'window.a = [', '<body>'],
    ),
    run: readPage,
  },
  {
    name: 'origins of views',
    inputs: mutated(['https://*.a.example:8443', 'wss://a.example'], ['.', 'a.', '-', '*.', ';', "'", ' ']),
    run: (text) => {
      const { csp } = policyOf({ csp: { connectDomains: [text], resourceDomains: [text], frameDomains: [text] } })
      if (csp.split(';').length !== 12 || /[\r\n]/.test(csp))
        throw new Error(`the policy has more than it should: ${csp}`)
      proxyPage(text, [])
    },
  },
  {
    name: 'JSON-RPC',
    inputs: mutated(
      [rpc.join('\n'), ...rpc],
      ['"id":1', '"method":', '"params":{}', 'notifications/', '[', ']', 'null', '1e400', initialize],
    ),
    run: converse,
  },
  {
    name: 'JSON',
    inputs: mutated(rpc, ['[', '{"a":', '"\\"', '\\\\']),
    run: (text) =>
      whereMeant(
        () => parseJson(text),
        (error) => error instanceof SyntaxError,
      ),
  },
  {
    name: 'globs',
    inputs: mutated(['weigh_*', 'tag:ledger', '*a*b*c'], ['*', '**', 'a', 'tag:']),
    run: (text) => globMatcher(text.slice(0, text.length / 2))(text),
  },
  {
    name: 'URI templates',
    inputs: mutated(
      ['hives://{hive}/{+path}{?a,b*}{#c}', 'a://{x}{y}.{z:3}{/p*}{;q}{.r}{&s}'],
      ['{', '}', '{+', '{?', '*', ':3', ',', '%20', '/'],
    ),
    run: (text) =>
      whereMeant(() => {
        const [source = '', uri = text] = text.split(/(?<=\}.{0,20})\n/s)
        const parsed = parseUriTemplate(source.slice(0, 3000))
        parsed.match(uri)
        parsed.match(text.replace(/[{}]/g, 'a'))
        const value = text.slice(0, 2000)
        parsed.expand({ hive: value, path: value, a: [value], b: { k: value } })
      }),
  },
  {
    name: 'curl',
    inputs: mutated(curlSeeds, ['curl ', ' -H ', " -d '", ' \\\n', '$(', '`', '$X', '{{x}}', '--next', '-F a=@b']),
    run: requests('README.md'),
  },
  {
    name: '.http',
    inputs: mutated(
      [
        '@host = https://hives.example\n\n### One\n# @name one\nPOST {{host}}/a?x=1\nContent-Type: application/json\n\n{"a": {{$guid}}}\n\n< ./file\n',
      ],
      ['###', '{{', '}}', '@a = ', 'GET ', '\n\n', '< ./'],
    ),
    run: requests('x.http'),
  },
  {
    name: 'HAR',
    inputs: mutated([har], ['"url":', '"headers":[]', '"text":', 'multipart/form-data', '\\u0000']),
    run: requests('x.har'),
  },
  ...(['sqlite', 'postgres', 'mysql'] as const).map(sqlTarget),
  {
    name: 'GraphQL',
    inputs: mutated(
      [
        'query A($s: String) { hives(site: $s) { ...f } } fragment f on Hive { code near { code } }',
        'type Query { a(b: [Int!]! = [1]): String @deprecated }',
      ],
      ['fragment ', '...f', '{', '}', '"""', '$s', '@skip(if: true)', 'on Hive'],
    ),
    run: (text) =>
      whereMeant(
        () => graphql.validate(graph, graphql.parse(text, { maxTokens: 4000 }), undefined, { maxErrors: 10 }),
        (error) => error instanceof graphql.GraphQLError || error instanceof RangeError,
      ),
  },
  {
    name: 'YAML and JSON descriptions',
    inputs: mutated(
      [openapi, '{"openapi":"3.1.0","paths":{}}'],
      ['&a ', '*a', '<<: *a', '- ', '|\n', '? ', '!!', '{', '[', '---\n', '\t'],
    ),
    run: (text) => whereMeant(() => boundShape(parseText(text, 'x.yaml'), 'x.yaml')),
  },
  {
    name: 'OpenAPI',
    inputs: mutated(
      [openapi],
      ['allOf: [', 'type: object', '$ref: ', 'in: query', '&a ', '*a', 'null', 'enum: [', '{}', 'items: '],
    ),
    run: planOf,
  },
  {
    name: 'SSE',
    inputs: mutated(
      ['id: 1\nevent: message\ndata: {"jsonrpc":"2.0","id":1,"result":{}}\n\n: hello\nretry: 5\n\n'],
      ['data: ', '\n\n', '\r', 'id: ', 'retry: 9', ':', 'event: endpoint\n'],
    ),
    run: (text) => {
      const parser = createParser({ onEvent: ({ data }) => messagesIn(data), maxBufferSize: 100_000 })
      for (let at = 0; at < Math.min(text.length, 30_000); at += 997)
        whereMeant(
          () => parser.feed(text.slice(at, at + 997)),
          (error) => /terminated/.test(String(error)),
        )
    },
  },
  {
    name: 'lines of stdio',
    inputs: mutated(['{"a":1}\n{"b":2}\r\n'], ['\n', '\r', '\u0000']),
    run: (text) => {
      const bytes = new TextEncoder().encode(text.slice(0, 20_000))
      const lines = new LineSplitter(
        10_000,
        (line) => messagesIn(line),
        () => {},
      )
      for (let at = 0; at < bytes.length; at += 13) lines.push(bytes.subarray(at, at + 13))
      lines.end()
    },
  },
  {
    name: 'help texts',
    inputs: mutated(
      [
        'Usage: hive [options] <site>\n\nCounts hives.\n\nOptions:\n  -m, --most <n>  How many [default: 5]\n  --json  As JSON\n\nCommands:\n  list  Lists them\n  tare <hive>  Sets to zero\n',
      ],
      ['  --', '  -x', '<', '[', '...', '\t', '\u001b[1m', '|', 'Commands:\n', '='],
    ),
    run: (text) => [aboutIn(text), argumentsIn(text), subcommandsIn(text)],
  },
  {
    name: 'messages without topics',
    inputs: mutated(
      [
        '{"hive":"ML-01","kg":41.2,"at":"2026-06-02"}\n{"type":"state","hive":"ML-02","code":0,"deep":{"a":1}}\nplain',
      ],
      ['"__proto__":', '"id":', '{"', '/', '+', '#', '{*}', 'null', '[1]', '"constructor":'],
    ),
    run: (text) => {
      const values = text.split('\n').map(valueInText)
      const { topic, channels } = fieldsOfRecords(
        values.map((value) => ({ topic: 'message', value })),
        `https://${text.slice(0, 60)}`,
      )
      const topicOf = whereMeant(() => topicMaker(topic ?? text.slice(0, 100)))
      if (typeof topicOf === 'function') for (const value of values) topicOf(value, text.slice(0, 20))
      return whereMeant(() => channelsOf(channels))
    },
  },
  {
    name: 'kit files that a source is added to',
    inputs: mutated(
      [
        'import { defineKit } from \'jexo\'\n// mine\nexport default defineKit({ name: \'a\', version: \'1\', parts: [\n  a,\n] })\n\n// jexo wrap: {"kind":"sql","source":"./a","options":{},"tools":{},"text":""}\n',
      ],
      ['defineKit(', 'parts', '[', '}', '...', '// jexo wrap: ', '`', '/*', '\r\n', 'import '],
    ),
    run: (text) => {
      readMarks(text)
      const section = {
        imports: [{ from: 'jexo/sql', names: ['wrapSql'] }],
        body: "const a = await wrapSql('x')",
        parts: ['...a'],
      }
      return whereMeant(() => addedToKit(ts, 'a.kit.ts', text.slice(0, 8000), () => section))
    },
  },
  {
    name: 'tapes',
    inputs: mutated([tape], ['"kind":"message"', '"at":', '"version":2', '\n{', '"target":']),
    run: (text) => whereMeant(() => readTape('x.tape.jsonl', text)),
  },
  {
    name: 'configuration as JSON',
    inputs: mutated(
      [
        '{\n  // one\n  "mcpServers": { "a": { "command": "node", "args": [] } },\n}',
        '{ "mcp": { "servers": { "a": { "type": "stdio" } }, "inputs": [] } }',
      ],
      ['"mcpServers"', '//', '/*', ',', '"hives"'],
    ),
    run: config('host.json'),
  },
  {
    name: 'configuration as TOML',
    inputs: mutated(
      ['[mcp_servers.a]\ncommand = "node"\nargs = ["x"]\n[mcp_servers.a.env]\nA = \'b\'\n'],
      ['[', ']]', '"""', "'''", '= ', '# ', '[mcp_servers.hives]\n'],
    ),
    run: config('host.toml'),
  },
  {
    name: 'configuration as YAML',
    inputs: mutated(
      ['mcpServers:\n  - name: a\n    command: node\n    args: [x] # one\n'],
      ['- ', ': ', '&a ', '*a', '|\n', '#', '  '],
    ),
    run: config('host.yaml'),
  },
  {
    name: 'answers',
    inputs: mutated(
      ['- about: weight\n  action: accept\n  content: { kg: 41 }\n'],
      ['- ', 'action: ', '*a', '&a '],
    ),
    run: (text) => whereMeant(() => parseAnswers('x.yaml', text)),
  },
  {
    name: 'questions',
    inputs: mutated(
      ['- ask: How heavy is ML-04?\n  tool: weigh_hive\n  arguments: { hive: ML-04 }\n'],
      ['- ', 'ask: ', '*a', '&a '],
    ),
    run: (text) => whereMeant(() => parseQuestions('x.yaml', text)),
  },
  {
    name: 'arguments',
    inputs: mutated(['{"a":1}', '12', 'true', 'a,b'], ['1e9', '[', 'null', '0x']),
    run: (text) =>
      ['string', 'number', 'integer', 'boolean', 'array', 'object'].map((type) =>
        whereMeant(() => readValue({ type }, text, true)),
      ),
  },
  {
    name: 'challenges of a server',
    inputs: mutated(
      [
        'Bearer realm="a", resource_metadata="https://a.example/b", scope="a b", error="invalid_token"',
        'Basic x, Bearer',
      ],
      ['Bearer', 'scope=', '"', '\\', ',', '=', 'error="'],
    ),
    run: (text) => void readChallenge(text),
  },
  {
    name: 'token files',
    inputs: mutated(
      [
        `{"version":1,"kind":"tokens"}\n{"name":"ada","sha256":"${'a'.repeat(64)}","scopes":["x"],"expires":"2027-01-01"}\n`,
      ],
      ['{', '"sha256":', '"scopes":[', '}', '\n'],
    ),
    run: (text) => whereMeant(() => parseTokenFile('a.tokens.jsonl', text)),
  },
  {
    name: 'addresses of a sign-in',
    inputs: mutated(
      ['https://id.example/auth?client_id=a&state=b&code=c', 'http://127.0.0.1:1/x?access_token=%ff'],
      ['%', '&', '=', '?', '#', 'state', 'token'],
    ),
    run: (text) => void maskedUrl(text),
  },
  {
    name: 'secrets',
    inputs: mutated(
      ['GET https://a:b@x.example/?token=abc&x=1 Authorization: Bearer abc.def {"password": "x"}'],
      ['Bearer ', '://', '?token=', '"key": "', 'a'.repeat(200)],
    ),
    run: (text) => [maskSecrets(text), isSecretName(text), isSecretValue(text), escapeControls(text)],
  },
  {
    name: 'Markdown',
    inputs: mutated(
      ['# A\n\nText *b*\n\n- one\n- two\n\n```js\nx\n```\n\n| a | b |\n| - | - |\n'],
      ['# ', '```', '> ', '[a](b)', '|', '* ', '    '],
    ),
    run: (text) => passagesOf(text.slice(0, 100_000), 'markdown'),
  },
  {
    name: 'HTML',
    inputs: mutated(
      ['<!doctype html><title>a</title><h1>b</h1><p>c<table><tr><td>d</table><script>e</script>'],
      ['<', '</p>', '<!--', '-->', '&amp;', '<div>', '<table>', '<script>'],
    ),
    run: (text) => passagesOf(text.slice(0, 100_000), 'html'),
  },
  {
    name: 'topics',
    inputs: mutated(['apiary/{site}/scales/+/weight', 'a/b/c\na/b/d'], ['/', '+', '#', '{x}', '{']),
    run: (text) => [whereMeant(() => topicPattern(text)), patternsOf(text.split('\n').slice(0, 500))],
  },
]
