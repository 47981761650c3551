import { fetchHandler } from 'jexo/fetch'
import { kit } from './kit.mjs'

export default { fetch: fetchHandler(kit) }
