import { readdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, brotliDecompressSync } from 'node:zlib'
import { readCached, writeCached } from '../../src/files/user-cache.js'
import { compressed } from '../../src/pack/compressed.js'
import { emptyCache } from '../support/cache-folder.js'

const cache = emptyCache()
const folder = () => join(cache(), 'jexo', 'compressed')
const text = 'Hive ML-04 weighs 41.2 kg.\n'.repeat(200)

test('a compressed text is cached, and read from the cache the next time', () => {
  const first = compressed(text)
  const [name = ''] = readdirSync(folder())
  expect(brotliDecompressSync(first).toString()).toBe(text)
  // The same text in another compression: only the cache can return these bytes.
  const other = brotliCompressSync(text, { params: { 1: 2 } })
  writeFileSync(join(folder(), name), other)
  expect(compressed(text).equals(other)).toBe(true)
})

test.each([
  ['another text', brotliCompressSync('process.exit(1)')],
  ['a text that grows without end', brotliCompressSync(Buffer.alloc(50_000_000))],
  ['no compressed text', Buffer.from('not Brotli')],
  ['nothing', Buffer.alloc(0)],
])('%s in the cache is not used', (_, content) => {
  compressed(text)
  const [name = ''] = readdirSync(folder())
  writeFileSync(join(folder(), name), content)
  expect(brotliDecompressSync(compressed(text)).toString()).toBe(text)
})

test('an unwritable cache only costs time, and the cache size is bounded', () => {
  writeFileSync(join(cache(), 'jexo'), 'a file where the folder should be')
  expect(brotliDecompressSync(compressed(text)).toString()).toBe(text)
  const own = join(cache(), 'own')
  for (let count = 0; count < 230; count++) writeCached(own, `entry-${count}`, String(count))
  expect(readdirSync(own)).toHaveLength(200)
  expect(readCached(own, 'entry-229')?.toString()).toBe('229')
})
