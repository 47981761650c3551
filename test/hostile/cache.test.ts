import {
  chmodSync,
  chownSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { tokensIn } from '../../src/context-cost/context-cost.js'
import { cachedValue, cacheFolder, readCached, readOwnCached, writeCached } from '../../src/files/user-cache.js'
import { emptyCache } from '../support/cache-folder.js'

const cache = emptyCache()

describe('a cache that others can write to is not used', () => {
  const own = () => join(cache(), 'jexo')
  const folderWith = (path: string, mode: number) => {
    mkdirSync(path, { recursive: true })
    chmodSync(path, mode)
  }
  const rows: [string, () => void][] = [
    ['a folder that all can write to', () => folderWith(own(), 0o777)],
    ['a folder that a group can write to', () => folderWith(own(), 0o770)],
    ['a folder within it that all can write to', () => folderWith(join(own(), 'readings'), 0o777)],
    ['a link to elsewhere', () => symlinkSync(mkdtempSync(join(tmpdir(), 'other-')), own())],
    [
      "another user's folder",
      () => {
        mkdirSync(own())
        if (process.getuid?.() === 0) chownSync(own(), 4242, 4242)
      },
    ],
  ]
  test.each(rows)('%s', (name, make) => {
    make()
    const folder = cacheFolder('readings')
    // Only root can give a folder to somebody else.
    if (name.startsWith('another') && process.getuid?.() !== 0) return expect(folder).toBeDefined()
    expect(folder).toBeUndefined()
    writeCached(folder, 'x', 'content')
    expect(readCached(folder, 'x')).toBeUndefined()
    expect(existsSync(join(own(), 'readings', 'x'))).toBe(false)
  })

  test('a relative XDG_CACHE_HOME is ignored', () => {
    process.env.XDG_CACHE_HOME = 'here'
    expect(cacheFolder('readings')).not.toContain('here')
  })
})

describe('cached code is not run', () => {
  const elsewhere = () => {
    const path = join(mkdtempSync(join(tmpdir(), 'other-')), 'code')
    writeFileSync(path, 'evil()', { mode: 0o600 })
    return path
  }
  const rows: [string, (file: string) => void][] = [
    ['if all can write to its file', (file) => chmodSync(file, 0o666)],
    ['if a group can write to its file', (file) => chmodSync(file, 0o620)],
    [
      'if its file is a link to elsewhere',
      (file) => {
        rmSync(file)
        symlinkSync(elsewhere(), file)
      },
    ],
    [
      'if its file is a folder',
      (file) => {
        rmSync(file)
        mkdirSync(file)
      },
    ],
    ['if its file belongs to another user', (file) => process.getuid?.() === 0 && chownSync(file, 4242, 4242)],
  ]
  test.each(rows)('%s', (name, change) => {
    const folder = String(cacheFolder('typescript'))
    writeCached(folder, 'code', 'good()')
    expect(readOwnCached(folder, 'code')?.toString()).toBe('good()')
    change(join(folder, 'code'))
    // Only root can give a file to somebody else.
    const isGiven = !name.includes('another user') || process.getuid?.() === 0
    expect(readOwnCached(folder, 'code')?.toString()).toBe(isGiven ? undefined : 'good()')
  })
})

test.each(['', 'x', '5', '"a"', 'null'])(
  'a cached value that is not of its shape (%s) is computed again',
  (content) => {
    const folder = join(cache(), 'jexo', 'any')
    const isList = (value: unknown): value is number[] => Array.isArray(value)
    const value = () => cachedValue(folder, 'list', isList, () => [1])
    writeCached(folder, 'list', content)
    expect(value()).toStrictEqual([1])
    expect(readCached(folder, 'list')?.toString()).toBe('[1]')
    writeCached(folder, 'list', '[2]')
    expect(value()).toStrictEqual([2])
  },
)

test.each(['[]', '[-1]', '[1.5]', '["9"]', '[1,2]', '{}', 'null', 'x', '[1e400]', ''])(
  'counts of tokens that cannot be (%s) are counted again',
  async (content) => {
    const right = await tokensIn('Hive ML-04 weighs 41.2 kg.')
    const folder = join(cache(), 'jexo', 'token-counts')

    for (const name of readdirSync(folder)) writeFileSync(join(folder, name), content)
    expect(await tokensIn('Hive ML-04 weighs 41.2 kg.')).toBe(right)
  },
)
