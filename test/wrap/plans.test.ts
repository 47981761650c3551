import { planCommands } from '../../src/wrap/command/plan.js'
import { channelsOf } from '../../src/wrap/feed/channel.js'
import { methodsOf } from '../../src/wrap/feed/method.js'
import { planChannels } from '../../src/wrap/feed/plan.js'
import { decoded, mimeTypeOf, textFormOf } from '../../src/wrap/folder/media.js'
import { planFiles } from '../../src/wrap/folder/plan.js'
import { guessEffect, snakeCase } from '../../src/wrap/naming/effect-words.js'
import { operationName, pathName, settingPrefixFrom, titleWords, uniqueNames } from '../../src/wrap/naming/names.js'

describe('the plan of a feed', () => {
  const text = { type: 'string', minLength: 1, maxLength: 200 }
  const plan = (options?: object) =>
    planChannels(
      {
        name: 'scales',
        channels: channelsOf({
          weight: { topic: 'scales/{hive}/{side}', unit: 'kg', about: 'The weight.' },
          'site state': { topic: 'site' },
          mood: { topic: 'mood/{hive}' },
        }),
        methods: methodsOf({
          tare: { path: 'Scales/{hive}/Tare' },
          calibrate: {
            path: 'Scales/Calibrate',
            about: 'Calibrates all.',
            effect: 'add',
            input: { properties: { kg: { type: 'number' }, note: { type: 'string' } }, required: ['kg'] },
          },
          label: { path: 'Label', input: { properties: { text: { type: 'string' } } } },
        }),
      },
      options,
    )

  test('has a resource and a tool for each channel', () => {
    const { channels, methods: _methods, ...rest } = plan()
    expect(rest).toStrictEqual({ version: 1, kind: 'feed', name: 'scales', tags: [], status: 'scales://status' })
    expect(channels).toStrictEqual([
      {
        unit: 'kg',
        name: 'weight',
        topic: 'scales/{hive}/{side}',
        about: 'The weight',
        variables: ['hive', 'side'],
        uri: 'scales://weight/{hive}/{side}',
        tool: 'latest_scales_weight',
      },
      {
        name: 'site state',
        topic: 'site',
        about: 'The site state, as scales reports it',
        variables: [],
        uri: 'scales://site%20state',
        tool: 'latest_scales_site_state',
      },
      {
        name: 'mood',
        topic: 'mood/{hive}',
        about: 'The mood of a hive, as scales reports it',
        variables: ['hive'],
        uri: 'scales://mood/{hive}',
        tool: 'latest_scales_mood',
      },
    ])
  })

  test('has a tool for each method, with the variables of its path as arguments', () => {
    const input = (properties: object, required: string[]) => ({
      type: 'object',
      properties,
      required,
      additionalProperties: false,
    })
    expect(plan({ prefix: 'bee_' }).methods).toStrictEqual([
      {
        tool: 'bee_tare',
        path: 'Scales/{hive}/Tare',
        about: 'Calls Scales/{hive}/Tare',
        effect: 'change',
        variables: ['hive'],
        input: input({ hive: { ...text, description: 'Which hive' } }, ['hive']),
      },
      {
        tool: 'bee_calibrate',
        path: 'Scales/Calibrate',
        about: 'Calibrates all',
        effect: 'add',
        variables: [],
        input: input({ kg: { type: 'number' }, note: { type: 'string' } }, ['kg']),
      },
      {
        tool: 'bee_label',
        path: 'Label',
        about: 'Calls Label',
        effect: 'change',
        variables: [],
        input: input({ text: { type: 'string' } }, ['text']),
      },
    ])
  })

  test('has no tools for channels if none are wanted', () => {
    const { channels, tags } = plan({ tools: false, tags: ['scale'] })
    expect(channels.filter((channel) => 'tool' in channel)).toStrictEqual([])
    expect(tags).toStrictEqual(['scale'])
    expect(plan({ prefix: 'bee_' }).channels[0]?.tool).toBe('bee_latest_scales_weight')
  })
})

describe('the plan of a folder', () => {
  const file = (path: string, mimeType: string, bytes: number) => ({ path, mimeType, bytes })
  const files = [
    file('a.png', 'image/png', 500),
    file('b.md', 'text/markdown', 100),
    file('c.md', 'text/markdown', 101),
    file('d.bin', 'application/zip', 1),
    file('e.csv', 'text/csv', 7),
  ]
  const plan = (options?: object, most?: number, root = '/bees/Field Guide!') =>
    planFiles({ root, files, isCut: false } as never, options, most)

  test('counts files and bytes of each type, the most frequent first', () => {
    expect(plan({}, 100)).toStrictEqual({
      version: 1,
      kind: 'folder',
      name: 'field-guide',
      about: 'Files of field-guide',
      types: [
        { mimeType: 'text/markdown', files: 2, bytes: 201, isSearched: true },
        { mimeType: 'application/zip', files: 1, bytes: 1, isSearched: false },
        { mimeType: 'image/png', files: 1, bytes: 500, isSearched: false },
        { mimeType: 'text/csv', files: 1, bytes: 7, isSearched: true },
      ],
      files: 5,
      bytes: 709,
      tool: 'search_field_guide',
      tags: [],
      tooLarge: ['c.md'],
      isCut: false,
    })
  })

  test('has the given name, description, prefix and tags, and no tool if none is wanted', () => {
    expect(plan({ name: 'Guide 2', about: 'Pages.', prefix: 'bee_', tags: ['guide'] })).toMatchObject({
      name: 'guide-2',
      about: 'Pages.',
      tool: 'bee_search_guide_2',
      tags: ['guide'],
    })
    expect(plan({ search: false })).not.toHaveProperty('tool')
    expect(plan({ search: true })).toHaveProperty('tool')
  })

  test.each([
    ['2026', 'folder-2026'],
    ['--Übersicht--', 'bersicht'],
    ['???', 'folder'],
  ])('the folder %s has the scheme %s', (name, scheme) => {
    expect(plan({ name }).name).toBe(scheme)
  })
})

test.each([
  ['a.MD', 'text/markdown', 'markdown'],
  ['a.html', 'text/html', 'html'],
  ['a.xhtml', 'application/xhtml+xml', 'html'],
  ['a.csv', 'text/csv', 'table'],
  ['a.tsv', 'text/tab-separated-values', 'table'],
  ['a.pdf', 'application/pdf', 'pdf'],
  ['a.json', 'application/json', 'plain'],
  ['a.svg', 'image/svg+xml', 'plain'],
  ['a.geojson', 'application/geo+json', 'plain'],
  ['a.png', 'image/png', 'none'],
  ['a.unknown', 'text/plain', 'plain'],
])('%s is %s, with text as %s', (path, mimeType, form) => {
  expect(mimeTypeOf(path)).toBe(mimeType)
  expect(textFormOf(mimeType)).toBe(form)
})

const hives = ' hives of the marsh and the hill'
test.each<[string, number[], object]>([
  ['UTF-8', [0x68, 0xc3, 0xbc], { text: 'hü', isWhole: true, isBinary: false }],
  [
    'UTF-16, little end first',
    [0xff, 0xfe, 0x68, 0],
    { text: 'h', isWhole: true, isBinary: false, encoding: 'utf-16le' },
  ],
  [
    'UTF-16, big end first',
    [0xfe, 0xff, 0, 0x68],
    { text: 'h', isWhole: true, isBinary: false, encoding: 'utf-16be' },
  ],
  [
    'half a mark',
    [0xff, ...Buffer.from(hives)],
    { text: `ÿ${hives}`, isWhole: true, isBinary: false, encoding: 'ISO-8859-1' },
  ],
  [
    'the other half',
    [0xfe, ...Buffer.from(hives)],
    { text: `þ${hives}`, isWhole: true, isBinary: false, encoding: 'ISO-8859-1' },
  ],
  ['a zero', [0x68, 0], { text: 'h\0', isWhole: true, isBinary: true }],
  ['bytes that are no text', [0, 0xff, 0xfe, 0xff], { text: '\0���', isWhole: false, isBinary: true }],
])('%s is decoded', (_what, bytes, expected) => {
  expect(decoded(Uint8Array.from(bytes))).toStrictEqual(expected)
})

test('the plan of a program has a schema for each command', () => {
  const plan = planCommands({
    program: 'scale',
    commands: [
      {
        tool: 'weigh',
        arguments: {
          hive: { about: 'Code.', required: true, pattern: '^ML' },
          side: { choices: ['left', 'right'], default: 'left' },
          times: { type: 'integer', minimum: 1, maximum: 9 },
          log: { type: 'file', repeat: true },
        },
      },
      { tool: 'reset' },
    ],
  } as never)
  expect(plan).toMatchObject({ version: 1, kind: 'command', program: 'scale', tags: [] })
  expect(plan.tools.map(({ name, input }) => [name, input])).toStrictEqual([
    [
      'weigh',
      {
        type: 'object',
        properties: {
          hive: { type: 'string', pattern: '^ML', description: 'Code.' },
          side: { type: 'string', enum: ['left', 'right'], default: 'left' },
          times: { type: 'integer', minimum: 1, maximum: 9 },
          log: {
            type: 'array',
            items: { type: 'string' },
            maxItems: 1000,
            description: 'Path below the folder of the tool',
          },
        },
        required: ['hive'],
        additionalProperties: false,
      },
    ],
    ['reset', { type: 'object', properties: {}, additionalProperties: false }],
  ])
})

describe('names', () => {
  test.each([
    [{ operationId: 'getHive', method: 'GET', path: '/hives' }, 'get_hive'],
    [{ operationId: 'list_hives_get', method: 'GET', path: '/hives' }, 'list'],
    [{ operationId: 'hives_get', method: 'GET', path: '/hives' }, 'hives_get'],
    [{ operationId: '_hives_get', method: 'GET', path: '/hives' }, 'hives_get'],
    [{ operationId: '???', method: 'GET', path: '/hives' }, 'get_hives'],
    [{ method: 'GET', path: '/api/v2/hives/{hive}/visits/{visitId}' }, 'get_hives_visits_by_hive_visit_id'],
    [{ operationId: `${'a'.repeat(30)}_${'b'.repeat(40)}`, method: 'GET', path: '/' }, 'a'.repeat(30)],
    [
      { operationId: `${'a'.repeat(20)}_${'b'.repeat(40)}`, method: 'GET', path: '/' },
      `${'a'.repeat(20)}_${'b'.repeat(35)}`,
    ],
    [{ operationId: 'a'.repeat(57), method: 'GET', path: '/' }, 'a'.repeat(56)],
  ])('%j is %s', (operation, name) => {
    expect(operationName(operation)).toBe(name)
  })

  test('that occur twice are distinguished by their paths, then by numbers', () => {
    const at = (path: string) => ({ operationId: 'get', method: 'GET', path })
    const operations = [at('/a'), at('/b'), at('/b'), at('/b')]
    const { names, repeated } = uniqueNames(operations, () => 'get')
    expect([...names.values()]).toStrictEqual(['get', 'get_b', 'get_2', 'get_3'])
    expect(repeated).toStrictEqual(operations.slice(1))
    expect(pathName('GET', '/b')).toBe('get_b')
  })

  test.each([
    ["The Beekeepers' API of Marsh Lane, v2", ['beekeepers', 'marsh', 'lane']],
    ['REST API', ['api']],
    ['Hives Sites Visits Honey Wax', ['hives', 'sites', 'visits', 'honey']],
  ])('the title %s has the words %j', (title, words) => {
    expect(titleWords(title)).toStrictEqual(words)
  })

  test.each([
    ['hive scales', 'HIVE_SCALES'],
    ['--2 scales--', 'API_2_SCALES'],
    ['?', 'API'],
    ['a'.repeat(70), 'A'.repeat(60)],
  ])('the settings of %s begin with %s', (text, prefix) => {
    expect(settingPrefixFrom(text)).toBe(prefix)
  })

  test.each([
    ['weighHive', 'weigh_hive', 'read'],
    ['HTTPPort2', 'http_port2', 'change'],
    ['add-visit', 'add_visit', 'add'],
    ['delete', 'delete', 'remove'],
    ['getHive', 'get_hive', 'read'],
    ['', '', 'change'],
  ])('%s in snake case is %s, and suggests %s', (name, snake, effect) => {
    expect(snakeCase(name)).toBe(snake)
    expect(guessEffect(name)).toBe(effect)
  })
})
