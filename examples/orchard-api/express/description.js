/** An OpenAPI description of the API, written for people. */
const of = (description, schema = {}) => ({ description, schema: { type: 'string', ...schema } })
const inQuery = (name, rest) => ({ name, in: 'query', ...rest })
const answer = { 200: { description: 'What was asked for', content: { 'application/json': { schema: {} } } } }
const number = 'Number of the tree, such as OE-04'

export const description = {
  openapi: '3.1.0',
  info: { title: 'Orchard', version: '1.0.0' },
  paths: {
    '/trees': {
      get: {
        operationId: 'list_trees',
        summary: 'Trees of the orchard, of one variety or all.',
        parameters: [inQuery('variety', of('Variety of apple, such as Bramling'))],
        responses: answer,
      },
    },
    '/trees/{id}': {
      get: {
        operationId: 'get_tree',
        summary: 'One tree by its number: variety and year of planting.',
        parameters: [{ name: 'id', in: 'path', required: true, ...of(number, { pattern: '^OE-\\d\\d$' }) }],
        responses: answer,
      },
    },
    '/harvests': {
      get: {
        operationId: 'list_harvests',
        summary: 'What was harvested, from one tree or all, with day and kilograms.',
        parameters: [inQuery('tree', of(number))],
        responses: answer,
      },
    },
  },
}
