import express from 'express'
import { openOrchard, varietyNames } from '../orchard.js'
import { addTools } from './tools.js'

/** The orchard's API in Express, without schemas in its routes. The two lines that add tools are marked. */
export function buildApp() {
  const orchard = openOrchard()
  const app = express()
  app.use(express.json())
  addTools(app) // ← this, and the import above

  app.get('/trees', (request, response) => {
    const { variety } = request.query
    if (variety !== undefined && !varietyNames.includes(variety))
      return response.status(400).json({ error: `There are no trees of ${variety}.` })
    response.json(orchard.trees(variety))
  })
  app.get('/trees/:id', (request, response) => {
    const tree = orchard.tree(request.params.id)
    if (!tree) return response.status(404).json({ error: `There is no tree ${request.params.id}.` })
    response.json(tree)
  })
  app.get('/harvests', (request, response) => response.json(orchard.harvests(request.query.tree)))
  app.post('/harvests', (request, response) => {
    const { tree, on, kg } = request.body ?? {}
    if (!orchard.tree(tree)) return response.status(404).json({ error: `There is no tree ${tree}.` })
    if (typeof kg !== 'number' || kg < 0)
      return response.status(400).json({ error: 'kg is to be a number from 0 up.' })
    response.status(201).json(orchard.record({ tree, on, kg }))
  })
  return app
}
