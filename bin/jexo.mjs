#!/usr/bin/env node
import { existsSync, lstatSync, mkdirSync } from 'node:fs'
import * as nodeModules from 'node:module'
import { homedir } from 'node:os'
import { join } from 'node:path'

// From Node 22.8 on, compiled code is kept between starts, in a folder that only its user can write to.
if (process.env.NODE_COMPILE_CACHE === undefined && process.env.NODE_DISABLE_COMPILE_CACHE === undefined) {
  const own = join(process.env.XDG_CACHE_HOME || join(homedir(), '.cache'), 'jexo')
  if (nodeModules.enableCompileCache && isPrivate(own)) nodeModules.enableCompileCache(join(own, 'compiled'))
}
const cli = new URL('../dist/command/main.js', import.meta.url)
if (existsSync(cli)) {
  const { main } = await import(cli.href)
  await main(process.argv)
} else {
  process.stderr.write('Jexo is not built in this checkout yet; run: npm install && npm run build\n')
  process.exit(2)
}

/** True for a folder that only this user can write to. Creates it if it does not exist. */
function isPrivate(folder) {
  try {
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    const { uid, mode } = lstatSync(folder)
    const user = process.getuid?.()
    return user === undefined || (uid === user && (mode & 0o022) === 0)
  } catch {
    return false
  }
}
