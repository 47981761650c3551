/** Bundles and compresses the parts of Jexo that packed kits load late, so that `jexo pack` only has to copy them. */
import { join } from 'node:path'
import { root } from './prepare.mjs'

const { buildLateParts } = await import('../dist/pack/late-parts.js')
await buildLateParts(join(root, 'dist'))
