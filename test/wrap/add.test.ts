import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'
import { addedToKit } from '../../src/wrap/kit-writer/add-to-kit.js'
import type { KitSection, Names } from '../../src/wrap/kit-writer/kit-section.js'
import { readMarks } from '../../src/wrap/kit-writer/written-kit.js'
import { apiary, jexoIn, newFolder, root } from '../support/cli.js'

const section = (names: Names): KitSection => {
  const variable = names.take('hiveParts')
  return {
    imports: [{ from: 'jexo/folder', names: ['wrapFolder'] }],
    body: `const ${variable} = await wrapFolder('/a', { about: 'wrapFolder(x)' })`,
    parts: [`...${variable}`],
  }
}
const added = (content: string) => addedToKit(ts, 'a.kit.ts', content, section)
const line = "import { defineKit } from 'jexo'\n"

describe('a source added to a kit file', () => {
  test.each<[string, string, string]>([
    [
      'a list on one line',
      `${line}\nexport default defineKit({ parts: [a, b] })\n`,
      `${line}import { wrapFolder } from 'jexo/folder'\n\nconst hiveParts = await wrapFolder('/a', { about: 'wrapFolder(x)' })\n\nexport default defineKit({ parts: [a, b, ...hiveParts] })\n`,
    ],
    [
      'a list on many lines, with comments of its own',
      `${line}\n/** Mine. */\n// and mine\nexport default defineKit({\n\tparts: [\n\t\ta, // first\n\t\tb // last\n\t],\n})`,
      `${line}import { wrapFolder } from 'jexo/folder'\n\nconst hiveParts = await wrapFolder('/a', { about: 'wrapFolder(x)' })\n\n/** Mine. */\n// and mine\nexport default defineKit({\n\tparts: [\n\t\ta, // first\n\t\tb, // last\n\t\t...hiveParts,\n\t],\n})`,
    ],
    [
      'no list, and names that mean something else',
      `${line}import { wrapFolder as folder } from 'jexo/folder'\nconst hiveParts = 1\nconst parts = []\nconst kit = defineKit({ parts })\nexport default kit\n`,
      `${line}import { wrapFolder as folder } from 'jexo/folder'\nconst hiveParts = 1\nconst parts = []\n\nconst hiveParts2 = await folder('/a', { about: 'wrapFolder(x)' })\n\nconst kit = defineKit({ parts: [...parts, ...hiveParts2] })\nexport default kit\n`,
    ],
    [
      'an import from the same place, and a value of its own for the name',
      `${line}import { other } from 'jexo/folder'\nimport wrapFolder from './mine.js'\n\nexport default defineKit({ parts: other(wrapFolder) })\n`,
      `${line}import { other, wrapFolder as wrapFolder2 } from 'jexo/folder'\nimport wrapFolder from './mine.js'\n\nconst hiveParts = await wrapFolder2('/a', { about: 'wrapFolder(x)' })\n\nexport default defineKit({ parts: [...other(wrapFolder), ...hiveParts] })\n`,
    ],
  ])('%s', (_title, content, expected) => {
    expect(added(content)).toBe(expected)
    const crlf = content.replaceAll('\n', '\r\n')
    expect(added(crlf)).toBe(expected.replaceAll('\n', '\r\n'))
  })

  test.each([
    ['no kit', 'export default 5\n', /no call of defineKit/],
    [
      'several kits',
      `${line}const a = defineKit({ parts: [] })\nexport default defineKit({ parts: [a] })`,
      /several kits/,
    ],
    ['options from elsewhere', `${line}export default defineKit(options)`, /no call of defineKit/],
    ['a kit in a text', `export default "defineKit({ parts: [] })"`, /no call of defineKit/],
    ['broken syntax', '}}}} defineKit(', /no call of defineKit/],
    ['a method', `${line}export default defineKit({ parts() { return [] } })`, /not a value/],
  ])('is refused for %s', (_title, content, reason) => {
    expect(() => added(content)).toThrow(reason)
  })
})

test('the markers of several sources are read back, and an edit is detected', () => {
  const mark = (source: string) =>
    `// jexo wrap: {"kind":"folder","source":"${source}","options":{},"tools":{},"text":"x"}`
  const { marks } = readMarks(`code\n\n${mark('a')}\r\n${mark('b')}\n\n`)
  expect(marks.map(({ source }) => source)).toStrictEqual(['a', 'b'])
  for (const content of ['', '// jexo wrap: {', '// jexo wrap: []', `${mark('a')}\ncode()\n`, '// jexo wrap: null'])
    expect(readMarks(content).marks).toStrictEqual([])
})

test('several sources become one kit, which is checked source by source and accepts another source', async () => {
  const folder = newFolder()
  const at = (name: string) => join(apiary, '..', name)
  const sources = [at('colony.ts'), at('fieldguide'), at('registry/registry.openapi.yaml')]
  const kit = join(folder, 'all.kit.ts')
  const wrap = (...more: string[]) => jexoIn(folder, 'wrap', ...sources, '--out', kit, ...more)
  expect((await wrap()).code).toBe(0)
  const text = readFileSync(kit, 'utf8')
  for (const name of ['strengthIndexTool,', '...fieldguideParts,', '...registryParts,'])
    expect(text).toContain(`    ${name}\n`)
  expect((await wrap('--check')).stdout.match(/is up to date/g)).toHaveLength(3)

  writeFileSync(kit, text.replace("version: '1.0.0',", "version: '2.0.0', // mine"))
  const program = `process:python3 ${join(root, 'examples/other-languages/frames.py')}`
  const another = await jexoIn(folder, 'add', program)
  expect(another).toMatchObject({ code: 0, stderr: expect.stringContaining('Added process:python3') })
  const shown = await jexoIn(folder, 'show', kit)
  expect(shown.stdout).toMatch(/^all 2\.0\.0[\s\S]*strength_index[\s\S]*search_fieldguide[\s\S]*count_frames/)
  expect((await wrap()).stderr).toContain('was edited')

  const before = readFileSync(kit, 'utf8')
  for (const [args, reason] of [
    [['add', at('colony.ts')], /is already a source of the kit/],
    [
      ['add', program.replace('python3', 'python3 -u')],
      /two parts have the name tool "count_frames"; set --prefix/,
    ],
    [['add', at('fieldguide'), '--to', 'none.kit.ts'], /there is no such file/],
    [['wrap', ...sources, '--only', 'x'], /--only applies to one source/],
    [['wrap', at('colony.ts'), at('colony.ts')], /^$/],
    [['wrap', at('colony.ts'), at('colony.ts'), '--out', 'two.kit.ts'], /both have a part "strength_index"/],
  ] as const)
    expect((await jexoIn(folder, ...args)).stderr.replace(/\nNothing was written.*\n$/, '')).toMatch(reason)
  expect(readFileSync(kit, 'utf8')).toBe(before)
}, 90_000)
