import swagger from '@fastify/swagger'
import fastify from 'fastify'
import { openOrchard, varietyNames } from '../orchard.js'
import { addTools } from './tools.js'

const tree = {
  type: 'object',
  properties: { id: { type: 'string' }, variety: { type: 'string' }, planted: { type: 'integer' } },
  required: ['id', 'variety', 'planted'],
}
const harvest = {
  type: 'object',
  properties: {
    tree: { type: 'string', pattern: '^OE-\\d\\d$', description: 'Number of the tree, such as OE-04' },
    on: { type: 'string', format: 'date', description: 'Day of the harvest' },
    kg: { type: 'number', minimum: 0, maximum: 400, description: 'Apples, in kilograms' },
  },
  required: ['tree', 'on', 'kg'],
}
const problem = { type: 'object', properties: { error: { type: 'string' } } }

/** The orchard's API as an existing application; the two lines that add tools are marked. */
export async function buildApp() {
  const orchard = openOrchard()
  const app = fastify()
  await app.register(swagger, { openapi: { info: { title: 'Orchard', version: '1.0.0' } } })
  addTools(app) // ← this, and the import above

  app.get(
    '/trees',
    {
      schema: {
        operationId: 'list_trees',
        summary: 'Trees of the orchard, of one variety or all.',
        querystring: {
          type: 'object',
          properties: { variety: { enum: varietyNames, description: 'Variety of apple' } },
        },
        response: { 200: { type: 'array', items: tree } },
      },
    },
    async (request) => orchard.trees(request.query.variety),
  )
  app.get(
    '/trees/:id',
    {
      schema: {
        operationId: 'get_tree',
        summary: 'One tree by its number: variety and year of planting.',
        params: {
          type: 'object',
          properties: { id: { type: 'string', description: 'Number of the tree, such as OE-04' } },
        },
        response: { 200: tree, 404: problem },
      },
    },
    async (request, reply) =>
      orchard.tree(request.params.id) ?? reply.code(404).send({ error: `There is no tree ${request.params.id}.` }),
  )
  app.get(
    '/harvests',
    {
      schema: {
        operationId: 'list_harvests',
        summary: 'What was harvested, from one tree or all, with day and kilograms.',
        querystring: {
          type: 'object',
          properties: { tree: { type: 'string', description: 'Number of the tree, such as OE-04' } },
        },
        response: { 200: { type: 'array', items: harvest } },
      },
    },
    async (request) => orchard.harvests(request.query.tree),
  )
  app.post(
    '/harvests',
    {
      schema: {
        operationId: 'record_harvest',
        summary: 'Writes down a harvest from one tree.',
        body: harvest,
        response: { 201: harvest, 404: problem },
      },
    },
    async (request, reply) => {
      if (!orchard.tree(request.body.tree))
        return reply.code(404).send({ error: `There is no tree ${request.body.tree}.` })
      return reply.code(201).send(orchard.record(request.body))
    },
  )
  return app
}
