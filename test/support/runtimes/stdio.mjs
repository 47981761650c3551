import { serveStdio } from 'jexo/node'
import { kit } from './kit.mjs'

await serveStdio(kit)
