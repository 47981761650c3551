import { type PlannedOperation, planOpenApi } from 'jexo/openapi'

/** Bodies as descriptions of each version declare them, and the plan for each. */
const text = { type: 'string' }
const texts = { type: 'array', items: text }
const object = (properties: object, more = {}) => ({ type: 'object', properties, ...more })
const post = (operationId: string, content: object) => ({
  post: { operationId, summary: 'Sends it.', requestBody: { required: true, content }, responses: {} },
})
const encoding = {
  tags: { style: 'pipeDelimited', explode: false },
  photo: { contentType: 'image/png, image/jpeg' },
}
const photo = { type: 'string', format: 'binary' }
const newer = (openapi: string) => ({
  openapi,
  info: { title: 'Hives', version: '1' },
  servers: [{ url: 'https://bees.example' }],
  paths: {
    '/form': post('form', {
      'application/x-www-form-urlencoded': { schema: object({ tags: texts }), encoding },
    }),
    '/parts': post('parts', { 'multipart/form-data': { schema: object({ tags: texts, photo }), encoding } }),
    '/all': post('all', {
      'application/json': {
        schema: {
          allOf: [{ $ref: '#/components/schemas/Named' }, object({ kg: { type: 'number' } }, { required: ['kg'] })],
        },
      },
    }),
  },
  components: { schemas: { Named: object({ name: text }, { required: ['name'] }) } },
})
const field = (name: string, more: object) => ({ name, in: 'formData', ...more })
const older = {
  swagger: '2.0',
  info: { title: 'Hives', version: '1' },
  host: 'bees.example',
  schemes: ['https'],
  paths: {
    '/old': {
      post: {
        operationId: 'old',
        parameters: [
          field('site', { type: 'string', required: true, description: 'Name of the site.' }),
          field('tags', { ...texts, collectionFormat: 'pipes' }),
          field('codes', texts),
        ],
        responses: {},
      },
    },
  },
}
const planOf = async (description: object, id: string): Promise<PlannedOperation | undefined> =>
  (await planOpenApi(description as never, { writes: true })).operations.find(
    ({ operationId }) => operationId === id,
  )
const piped = { argument: 'tags', path: ['tags'], style: 'pipeDelimited', explode: false }
const picture = { argument: 'photo', path: ['photo'], mediaType: 'image/png', isFile: true }
const urlencoded = 'application/x-www-form-urlencoded'

test.each<[string, object, string, object]>([
  ['form with a style', newer('3.0.3'), 'form', { mediaType: urlencoded, form: 'form', properties: [piped] }],
  [
    'multipart body of 3.0, whose styles do not apply',
    newer('3.0.3'),
    'parts',
    {
      mediaType: 'multipart/form-data',
      form: 'multipart',
      properties: [{ argument: 'tags', path: ['tags'] }, picture],
    },
  ],
  [
    'multipart body of 3.1, whose styles apply',
    newer('3.1.0'),
    'parts',
    { mediaType: 'multipart/form-data', form: 'multipart', properties: [piped, picture] },
  ],
  [
    'JSON body from several schemas',
    newer('3.1.0'),
    'all',
    {
      mediaType: 'application/json',
      form: 'json',
      properties: [
        { argument: 'name', path: ['name'] },
        { argument: 'kg', path: ['kg'] },
      ],
      fixed: {},
    },
  ],
  [
    'form of 2.0 with formats of lists',
    older,
    'old',
    {
      mediaType: urlencoded,
      form: 'form',
      properties: [
        { argument: 'site', path: ['site'] },
        { ...piped },
        { argument: 'codes', path: ['codes'], style: 'form', explode: false },
      ],
    },
  ],
])('a %s is planned exactly', async (_what, description, id, body) => {
  expect((await planOf(description, id))?.body).toStrictEqual(body)
})

test('arguments keep their descriptions, and are required if their fields are', async () => {
  expect((await planOf(newer('3.1.0'), 'all'))?.input).toStrictEqual(
    object({ name: text, kg: { type: 'number' } }, { required: ['name', 'kg'], additionalProperties: false }),
  )
  expect((await planOf(older, 'old'))?.input).toStrictEqual(
    object(
      { site: { ...text, description: 'Name of the site.' }, tags: texts, codes: texts },
      { required: ['site'], additionalProperties: false },
    ),
  )
})
