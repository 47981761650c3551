import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { root } from '../support/cli.js'

const page = join(root, 'dist/loupe/page')
const text = (file: string) => readFileSync(join(page, file), 'utf8')
const filesOf = (ending: string) => readdirSync(join(page, 'assets')).filter((name) => name.endsWith(ending))

test('the page shows after at most 180 kB', () => {
  const linked = [...text('index.html').matchAll(/assets\/[\w.-]+\.(?:js|css)/g)].map(([file]) => file)
  expect(linked.length).toBeGreaterThan(1)
  const sizes = linked.map((file) => gzipSync(text(file), { level: 9 }).length)
  expect(sizes.reduce((sum, size) => sum + size)).toBeLessThan(180_000)
})

test('every Mantine component of the page has its styles', () => {
  const namesIn = (ending: string, pattern: RegExp) =>
    new Set(filesOf(ending).flatMap((file) => text(`assets/${file}`).match(pattern) ?? []))
  const styled = namesIn('.css', /(?<=\.)m_[0-9a-f]{6,8}/g)
  const whole = readFileSync(join(root, 'node_modules/@mantine/core/styles.css'), 'utf8')
  const used = [...namesIn('.js', /\bm_[0-9a-f]{6,8}\b/g)]
  expect(used.length).toBeGreaterThan(100)
  expect(used.filter((name) => whole.includes(`.${name}`) && !styled.has(name))).toStrictEqual([])
})
