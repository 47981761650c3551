#!/usr/bin/env node
import { existsSync } from 'node:fs'

const cli = new URL('../dist/command/main.js', import.meta.url)
if (existsSync(cli)) {
  const { main } = await import(cli.href)
  await main(process.argv)
} else {
  process.stderr.write('Jexo is not built in this checkout yet; run: npm install && npm run build\n')
  process.exit(2)
}
