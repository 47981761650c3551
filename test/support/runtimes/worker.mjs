import { issuerTokens } from 'jexo/access'
import { fetchHandler } from 'jexo/fetch'
import { kit } from './kit.mjs'

const open = fetchHandler(kit)
const gated = fetchHandler(kit, { path: '/gated', access: issuerTokens({ issuer: 'https://id.example' }) })

export default {
  fetch: (request) => (new URL(request.url).pathname.includes('gated') ? gated(request) : open(request)),
}
