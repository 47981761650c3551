/**
 * A measured process: `search.mjs own|bare <folder>` indexes all files and answers some questions, or only reads the
 * files. Prints milliseconds for everything, the median and the slowest question, and the memory used then in bytes.
 */
import { readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'

const [, , kind, folder] = process.argv
const startedAt = performance.now()
if (kind === 'own') {
  const { wrapFolder } = await import('../dist/folder.js')
  const { defineKit } = await import('../dist/index.js')
  const { connect } = await import('../dist/node.js')
  const parts = await wrapFolder(folder, { name: 'pages', watch: false })
  const link = await connect(defineKit({ name: 'search', version: '1', parts }), {
    report: () => {},
    timeoutMs: 600_000,
  })
  const ask = async (query) => {
    const at = performance.now()
    const { structuredContent } = await link.call('search_pages', { query })
    if (structuredContent.passages.length === 0) throw new Error(`nothing found for ${query}`)
    return performance.now() - at
  }
  await ask('page 0')
  const indexedMs = performance.now() - startedAt
  const times = []
  for (let at = 1; at <= 40; at++) times.push(await ask(at % 4 === 0 ? 'honey' : `what of page ${at * 317}`))
  times.sort((a, b) => a - b)
  process.stdout.write(JSON.stringify([indexedMs, times[20], times.at(-1), process.memoryUsage().rss]))
  await link.close()
} else {
  for (const name of await readdir(folder)) await readFile(join(folder, name), 'utf8')
  process.stdout.write(JSON.stringify([performance.now() - startedAt]))
}
