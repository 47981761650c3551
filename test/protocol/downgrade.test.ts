import {
  contentFor,
  implementationFor,
  promptFor,
  promptResultFor,
  readResultFor,
  resourceFor,
  templateFor,
  toolFor,
  toolResultFor,
} from '../../src/protocol/downgrade.js'
import { findRevision, type Revision } from '../../src/protocol/revisions.js'
import type { ContentBlock, PromptResult, ToolDefinition } from '../../src/protocol/types.js'

const [r1, r2, r3, r4] = ['R1', 'R2', 'R3', 'R4'].map((name) => findRevision(name)) as [
  Revision,
  Revision,
  Revision,
  Revision,
]
const icons = [{ src: 'https://marshlane.example/hive.png' }]
const _meta = { note: 1 }
const dated = { priority: 1, lastModified: '2026-05-01T10:00:00Z' }

test('implementation info', () => {
  const info = { name: 'apiary', version: '1.0.0', title: 'Apiary', description: 'Hives.', websiteUrl: 'x', icons }
  expect(implementationFor(r4, info)).toBe(info)
  expect(implementationFor(r3, info)).toStrictEqual({ name: 'apiary', version: '1.0.0', title: 'Apiary' })
  expect(implementationFor(r2, info)).toStrictEqual({ name: 'apiary', version: '1.0.0' })
  expect(implementationFor(r3, { name: 'apiary', version: '1.0.0' })).toStrictEqual({
    name: 'apiary',
    version: '1.0.0',
  })
})

test('a tool', () => {
  const tool: ToolDefinition = {
    name: 'weigh',
    title: 'Weigh',
    inputSchema: { type: 'object' },
    outputSchema: { type: 'object' },
    annotations: { readOnlyHint: true },
    execution: { taskSupport: 'optional' },
    icons,
    _meta,
  }
  const { icons: _, execution, ...asR3 } = tool
  const { title, outputSchema, _meta: _m, ...asR2 } = asR3
  const { annotations, ...asR1 } = asR2
  expect(toolFor(r4, tool)).toBe(tool)
  expect(toolFor(r3, tool)).toStrictEqual(asR3)
  expect(toolFor(r2, tool)).toStrictEqual(asR2)
  expect(toolFor(r1, tool)).toStrictEqual(asR1)
  const least = { name: 'weigh', inputSchema: {} }
  for (const revision of [r1, r2, r3, r4]) expect(toolFor(revision, least)).toStrictEqual(least)
})

test('a tool of a revision that knows icons, but no tasks, or the reverse', () => {
  const tool = { name: 'weigh', inputSchema: {}, execution: { taskSupport: 'optional' as const }, icons }
  expect(toolFor({ ...r4, execution: false }, tool)).toStrictEqual({ name: 'weigh', inputSchema: {}, icons })
  expect(toolFor({ ...r4, icons: false }, tool)).toStrictEqual({
    name: 'weigh',
    inputSchema: {},
    execution: { taskSupport: 'optional' },
  })
  expect(toolFor({ ...r4, icons: false }, { name: 'weigh', inputSchema: {} })).toStrictEqual({
    name: 'weigh',
    inputSchema: {},
  })
})

test.each([
  ['a resource', resourceFor, { uri: 'hives://ML-04', name: 'hive' }],
  ['a template', templateFor, { uriTemplate: 'hives://{hive}', name: 'hives' }],
])('%s', (_what, convert: (revision: Revision, value: never) => object, least) => {
  const full = { ...least, title: 'Hive', annotations: dated, icons, _meta }
  expect(convert(r4, full as never)).toBe(full)
  expect(convert(r3, full as never)).toStrictEqual({ ...least, title: 'Hive', annotations: dated, _meta })
  expect(convert(r2, full as never)).toStrictEqual({ ...least, annotations: { priority: 1 } })
  expect(convert(r2, least as never)).toStrictEqual(least)
})

test('a prompt', () => {
  const prompt = { name: 'plan', title: 'Plan', arguments: [{ name: 'hive', title: 'Hive', required: true }] }
  expect(promptFor(r3, prompt)).toStrictEqual(prompt)
  expect(promptFor(r2, prompt)).toStrictEqual({ name: 'plan', arguments: [{ name: 'hive', required: true }] })
  expect(promptFor(r2, { name: 'plan' })).toStrictEqual({ name: 'plan' })
})

const link: ContentBlock = { type: 'resource_link', uri: 'hives://ML-04', name: 'hive', title: 'Hive 4', icons }

test.each<[string, Revision, ContentBlock, ContentBlock]>([
  [
    'audio',
    r2,
    { type: 'audio', data: '', mimeType: 'audio/wav' },
    { type: 'audio', data: '', mimeType: 'audio/wav' },
  ],
  [
    'audio',
    r1,
    { type: 'audio', data: '', mimeType: 'audio/wav' },
    { type: 'text', text: '[Audio, audio/wav: this connection cannot carry audio.]' },
  ],
  ['a link', r4, link, link],
  ['a link', r3, link, { type: 'resource_link', uri: 'hives://ML-04', name: 'hive', title: 'Hive 4' }],
  [
    'a link',
    r2,
    { ...link, description: 'On the scale' },
    { type: 'text', text: 'Hive 4: hives://ML-04 (On the scale)' },
  ],
  [
    'a link',
    r2,
    { type: 'resource_link', uri: 'hives://ML-04', name: 'hive' },
    { type: 'text', text: 'hive: hives://ML-04' },
  ],
  [
    'a text',
    r3,
    { type: 'text', text: 'x', _meta, annotations: dated },
    { type: 'text', text: 'x', _meta, annotations: dated },
  ],
  [
    'a text',
    r2,
    { type: 'text', text: 'x', _meta, annotations: dated },
    { type: 'text', text: 'x', annotations: { priority: 1 } },
  ],
  [
    'a resource',
    r2,
    { type: 'resource', resource: { uri: 'hives://ML-04', text: 'x', _meta }, _meta },
    { type: 'resource', resource: { uri: 'hives://ML-04', text: 'x' } },
  ],
])('%s of content for %o', (_what, revision, block, expected) => {
  expect(contentFor(revision, block)).toStrictEqual(expected)
})

test('results', () => {
  const tool = { content: [link], structuredContent: { kg: 31 }, isError: false }
  expect(toolResultFor(r3, tool)).toBe(tool)
  expect(toolResultFor(r2, tool)).toStrictEqual({
    content: [{ type: 'text', text: 'Hive 4: hives://ML-04' }],
    isError: false,
  })
  const prompt: PromptResult = { description: 'Plan', messages: [{ role: 'user', content: link }] }
  expect(promptResultFor(r3, prompt)).toBe(prompt)
  expect(promptResultFor(r2, prompt)).toStrictEqual({
    description: 'Plan',
    messages: [{ role: 'user', content: { type: 'text', text: 'Hive 4: hives://ML-04' } }],
  })
  const read = { contents: [{ uri: 'hives://ML-04', text: 'x', _meta }], _meta }
  expect(readResultFor(r3, read)).toBe(read)
  expect(readResultFor(r2, read)).toStrictEqual({ contents: [{ uri: 'hives://ML-04', text: 'x' }], _meta })
})
