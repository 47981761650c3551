import { spawn } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import { pathToFileURL } from 'node:url'
import { inlined, localReferences } from '../../src/view/build/inline.js'
import { newFolder, root } from '../support/cli.js'

const builder = spawn(process.execPath, [join(root, 'test/support/build-pages.mjs')], {
  stdio: ['pipe', 'pipe', 'inherit'],
})
const answers = createInterface({ input: builder.stdout })[Symbol.asyncIterator]()
afterAll(() => builder.kill())

async function built(url: string): Promise<{ html?: string; files?: string[]; code?: string; message?: string }> {
  builder.stdin.write(`${url}\n`)
  return JSON.parse((await answers.next()).value)
}

/** Writes the files of a page, and returns its builder. */
function pageFrom(files: Record<string, string>) {
  const folder = newFolder()
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(join(folder, name, '..'), { recursive: true })
    writeFileSync(join(folder, name), text)
  }
  const heard = new Set<string>()
  const url = pathToFileURL(join(folder, 'index.html')).href
  const build = async () => {
    const { html = '', files: used = [], ...failure } = await built(url)
    for (const file of used) heard.add(file.slice(folder.length + 1))
    if ('code' in failure) throw failure
    return html
  }
  return { folder, heard, build }
}
const html = (head = '', body = '') =>
  `<!doctype html><html><head><meta charset="utf-8">${head}</head><body><h1>Hive</h1>${body}</body></html>`

test('a page with scripts, styles and pictures becomes one document, and lists its files', async () => {
  const page = pageFrom({
    'index.html': html(
      '<link rel="stylesheet" href="./style.css">',
      '<img src="./bee.svg"><script type="module" src="./main.ts"></script>',
    ),
    'main.ts': `import { openView } from 'jexo/view'\nimport { label } from './label.ts'\nimport './more.css'\nopenView<{ hive: string }>().then(() => { document.title = label as string })`,
    'label.ts': `export const label: string = 'a </script> and <!-- in a text'`,
    'style.css': `h1 { color: teal; background: url("./bee.svg") }`,
    'more.css': `p { color: olive }`,
    'bee.svg': `<svg xmlns="http://www.w3.org/2000/svg"><circle r="4"/></svg>`,
  })
  const built = await page.build()
  expect(localReferences(built)).toStrictEqual([])
  expect(built).toMatch(/^<!doctype html>/i)
  expect(built).toContain('ui/initialize')
  expect(built).toMatch(/<style>[^<]*teal/)
  expect(built).toContain('olive')
  expect(built.match(/data:image\/svg\+xml/g)?.length).toBeGreaterThanOrEqual(2)
  // A closing script tag in a text of the author must not end the element in the document.
  expect(built.match(/<\/script>/g)).toHaveLength(1)
  expect([...page.heard].sort()).toStrictEqual([
    'bee.svg',
    'index.html',
    'label.ts',
    'main.ts',
    'more.css',
    'style.css',
  ])
})

test('a page is built again only when one of its files changes', async () => {
  const page = pageFrom({
    'index.html': html('', '<script type="module" src="./main.js"></script>'),
    'main.js': `document.title = 'before'`,
  })
  const [first, second] = await Promise.all([page.build(), page.build()])
  expect(second).toBe(first)
  expect(first).toContain('before')
  writeFileSync(join(page.folder, 'main.js'), `document.title = 'afterwards'`)
  expect(await page.build()).toContain('afterwards')
  writeFileSync(join(page.folder, 'main.js'), 'const = 3')
  await expect(page.build()).rejects.toMatchObject({
    code: 'page-unbuildable',
    message: expect.stringContaining('index.html'),
  })
  writeFileSync(join(page.folder, 'main.js'), `document.title = 'fixed'`)
  expect(await page.build()).toContain('fixed')
})

test('a page without other files is used unchanged', async () => {
  const whole = html('<style>h1 { color: teal }</style>', '<script>document.title = "x"</script>')
  expect(await pageFrom({ 'index.html': whole }).build()).toBe(whole)
})

test('JSX needs no configuration, and a configuration beside the page is used', async () => {
  const react = pageFrom({
    'index.html': html('', '<div id="root"></div><script type="module" src="./main.jsx"></script>'),
    'main.jsx': `import { h } from './h.js'\nexport const card = <b className="hive">{__SITE__}</b>\nh(card)`,
    'h.js': 'export const h = (value) => document.body.append(JSON.stringify(value))',
    'vite.config.mjs': `export default { define: { __SITE__: '"Quarry Field"' }, oxc: { jsx: { runtime: 'classic', pragma: 'Object.of' } } }`,
  })
  expect(await react.build()).toContain('Quarry Field')
  expect([...react.heard]).toContain('vite.config.mjs')
})

test.each([
  ['a missing page', {}, /no such file/],
  ['a missing script', { 'index.html': html('', '<script type="module" src="./gone.js"></script>') }, /gone\.js/],
  [
    'a missing package',
    { 'index.html': html('', '<script type="module" src="./a.js"></script>'), 'a.js': `import 'no-such-package'` },
    /no-such-package/,
  ],
])('%s is reported in one sentence', async (_, files, said) => {
  await expect(pageFrom(files).build()).rejects.toMatchObject({
    code: 'page-unbuildable',
    message: expect.stringMatching(said),
  })
})

test.each([
  ['<script src="./a.js"></script>', ['./a.js']],
  ['<link rel="stylesheet" href="a.css">', ['a.css']],
  ['<img src="/a.png">', ['/a.png']],
  [`<script type="module">import { a } from './a.js'</script>`, ['./a.js']],
  ['<script src="https://a.example/x.js"></script><img src="data:image/png;base64,x"><a href="./b.html">', []],
])('%s refers to %j', (text, found) => {
  expect(localReferences(text)).toStrictEqual(found)
})

test('files that the document does not refer to are excluded', () => {
  const text = inlined('<body><script type="module" src="./a.js"></script></body>', [
    { path: 'a.js', text: 'one()' },
    { path: 'b.js', text: 'two()' },
  ])
  expect(text).toBe('<body><script type="module">one()</script></body>')
})
