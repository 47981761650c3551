/** A GraphQL API in its own process; prints its address, and each request, on stdout. */
import { createServer } from 'node:http'
import { buildSchema } from 'graphql'
import { createHandler } from 'graphql-http/lib/use/http'

const schema = buildSchema(process.argv[2])
const hives = [
  { code: 'ML-04', site: 'MARSH_LANE', kg: 41.2 },
  { code: 'ML-07', site: 'QUARRY_FIELD', kg: null },
]
const weighed = (hive) => ({
  ...hive,
  __typename: 'Hive',
  weight() {
    if (hive.kg === null) throw new Error('the scale is silent')
    return hive.kg
  },
})
const rootValue = {
  hives: ({ site }) => hives.filter((hive) => !site || hive.site === site).map(weighed),
  hive: ({ code }) => {
    const hive = hives.find((known) => known.code === code)
    if (!hive) throw new Error(`there is no hive ${code}`)
    return weighed(hive)
  },
  find: () => [weighed(hives[0]), { __typename: 'Member', name: 'Ada Fenn' }],
  addHive: ({ hive }) => {
    hives.push({ ...hive, kg: 1 })
    return weighed(hives.at(-1))
  },
}
const handle = createHandler({ schema, rootValue })
const server = createServer((request, response) => {
  process.stdout.write(
    `${JSON.stringify({ method: request.method, authorization: request.headers.authorization })}\n`,
  )
  void handle(request, response)
})
server.listen(0, '127.0.0.1', () => process.stdout.write(`http://127.0.0.1:${server.address().port}/graphql\n`))
