import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

/** Gives each test an empty cache folder; returns a function with its path. */
export function emptyCache(): () => string {
  const { XDG_CACHE_HOME: usual } = process.env
  let cache = ''
  beforeEach(() => {
    cache = mkdtempSync(join(tmpdir(), 'cache-'))
    process.env.XDG_CACHE_HOME = cache
  })
  afterEach(() => {
    if (usual === undefined) delete process.env.XDG_CACHE_HOME
    else process.env.XDG_CACHE_HOME = usual
    rmSync(cache, { recursive: true })
  })
  return () => cache
}
