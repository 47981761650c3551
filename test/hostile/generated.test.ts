import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { parse } from 'dotenv'
import fc from 'fast-check'
import { defineKit, setting, tool } from 'jexo'
import { planCurl } from 'jexo/curl'
import { planOpenApi } from 'jexo/openapi'
import typescript from 'typescript'
import { parse as parseYaml } from 'yaml'
import { lineComment, literal } from '../../src/escape/typescript.js'
import { forms } from '../../src/pack/forms.js'
import type { Packed } from '../../src/pack/pack-kit.js'
import { headOf } from '../../src/packed-file/mark.js'
import { restKitOf } from '../../src/wrap/http-api/kit.js'
import { writeWrapKit } from '../../src/wrap/kit-writer/wrap-kit.js'
import { newFolder } from '../support/cli.js'
import { anyText } from '../support/text.js'

/** Text from a source or an author that tries to become code, or a line of its own, in a file that Jexo writes. */
const payloads = [
  '\nglobalThis.hacked = true\n//',
  '\r globalThis.hacked = true',
  '\u2028globalThis.hacked = true\u2029',
  `'); globalThis.hacked = true; ('`,
  `\`${'$'}{globalThis.hacked = true}\``,
  '*/ globalThis.hacked = true /*',
  '\ue000"; globalThis.hacked = true; "\ue001',
  '"\\"\'\\\'); globalThis.hacked = true //',
  '\\',
  '__proto__',
  `%n%h ${'$'}{HOME} $(id)`,
  '\u0000\u001b]0;x\u0007',
]
const text = fc.oneof(
  fc.constantFrom(...payloads),
  fc
    .array(fc.oneof(fc.constantFrom(...payloads), anyText({ maxLength: 12 })), { maxLength: 4 })
    .map((all) => all.join('')),
)
const out = join(newFolder(), 'hostile.kit.ts')

/** The statements of a kit file, from the compiler: imports, one constant and the kit, and nothing else that runs. */
function shapeOf(code: string): string[] {
  const { ScriptTarget, SyntaxKind } = typescript
  const file = typescript.createSourceFile('x.ts', code, ScriptTarget.ESNext, true)
  expect((file as unknown as { parseDiagnostics: unknown[] }).parseDiagnostics).toStrictEqual([])
  expect(code).not.toMatch(/^\s*globalThis/m)
  return file.statements.map(({ kind }) => String(SyntaxKind[kind]).replace('FirstStatement', 'VariableStatement'))
}
const kitShape = ['ImportDeclaration', 'ImportDeclaration', 'VariableStatement', 'ExportAssignment']

const holds = async (property: fc.IAsyncProperty<unknown> | fc.IProperty<unknown>, numRuns = 200) =>
  await fc.assert(property as fc.IAsyncProperty<unknown>, { numRuns, seed: 17 })

test('TypeScript values and comments can hold any text', async () => {
  await holds(
    fc.property(fc.dictionary(text, fc.oneof(text, fc.array(text))), text, (value, remark) => {
      const code = `const it = ${literal(value, 0)} ${lineComment(remark)}\nexport default it`
      expect(shapeOf(code)).toStrictEqual(['VariableStatement', 'ExportAssignment'])
      const read = new Function(`return ${literal(value, 0)}`)() as object
      expect(Object.entries(read)).toStrictEqual(Object.entries(value))
    }),
  )
})

test('a kit written for an OpenAPI description contains its text only as text', async () => {
  await holds(
    fc.asyncProperty(text, text, text, async (path, title, about) => {
      const description = {
        openapi: '3.1.0',
        info: { title: title || 'x', version: '1', description: about },
        servers: [{ url: 'http://127.0.0.1:9' }],
        paths: {
          [`/${path}`]: { get: { operationId: title, summary: about, responses: { 200: { description: 'It.' } } } },
          '/hives': { get: { responses: { 200: { description: about } } } },
        },
      }
      const plan = await planOpenApi(description as never)
      const options = { baseUrl: about, headers: { [path]: title } }
      writeWrapKit(out, restKitOf('openapi', plan, '/tmp/x.yaml', options), true)
      expect(shapeOf(readFileSync(out, 'utf8'))).toStrictEqual(kitShape)
    }),
    100,
  )
})

test.each(payloads)('a kit written for curl lines contains %j only as text', async (payload) => {
  const line = `curl 'https://hives.example/hives/${payload.replaceAll("'", '')}?note=${encodeURIComponent(payload)}' -H $'X-Note: \\ue000a\\ue001' -d '{"note":${JSON.stringify(payload).replaceAll("'", '')}}'`
  const source = join(newFolder(), 'calls.sh')
  writeFileSync(source, `${line}\n\ncurl https://hives.example/hives`)
  const plan = await planCurl(pathToFileURL(source), { writes: true } as never)
  writeWrapKit(out, restKitOf('curl', plan, '/tmp/x.md', {}), true)
  expect(shapeOf(readFileSync(out, 'utf8'))).toStrictEqual(kitShape)
})

test('a kit written for data contains its text only as text', async () => {
  await holds(
    fc.property(text, text, text, (source, about, name) => {
      const kit = {
        kind: 'folder',
        source: `/tmp/${source}`,
        options: { only: [name], [name]: about },
        about,
        settings: [name],
        tools: { a: 'b' },
      } as const
      writeWrapKit(out, kit, true)
      expect(shapeOf(readFileSync(out, 'utf8'))).toStrictEqual(kitShape)
    }),
  )
})

describe('packed forms', () => {
  const packed = (about: string, fallback: string): Packed => {
    const kit = defineKit({
      name: 'hives',
      version: '1.0.0',
      about,
      settings: { HIVES_URL: setting({ about, default: fallback }), HIVES_KEY: setting({ about, secret: true }) },
      parts: [tool('weigh', { about: about || 'x', effect: 'read', run: () => 1 })],
    })
    const settings = [
      { name: 'HIVES_URL', about, default: fallback, isSecret: false, isNeeded: false },
      { name: 'HIVES_KEY', about, isSecret: true, isNeeded: true },
    ]
    return { fileName: 'hives.mjs', code: '', map: '', kit, settings, assets: [], packages: [] } as never
  }
  const filesOf = (form: keyof typeof forms, about: string, fallback: string) =>
    new Map(
      forms[form]
        .files(packed(about, fallback), { publicUrl: `https://x.example/${fallback}` })
        .map(({ path, text: held }) => [path, held]),
    )

  test('environment files contain only the variables of the kit', async () => {
    await holds(
      fc.property(text, text, (about, fallback) => {
        const held = filesOf('container', about, fallback).get('.env.example') ?? ''
        expect(Object.keys(parse(held))).toStrictEqual(['HIVES_KEY', 'JEXO_PUBLIC_URL', 'JEXO_TOKEN'])
        for (const line of held.split(/\r\n|\r|\n/)) expect(line).toMatch(/^(#.*|[A-Z_]+=.*|)$/)
      }),
    )
  })

  test('units and Containerfiles contain only the lines of their templates', async () => {
    const plain = {
      unit: filesOf('service', 'x', 'y').get('hives.service'),
      file: filesOf('container', 'x', 'y').get('Containerfile'),
    }
    const heads = (held = '') => held.split(/\r\n|[\r\n]/).map((line) => line.replace(/[= ].*$/, ''))
    await holds(
      fc.property(text, text, (about, fallback) => {
        expect(heads(filesOf('service', about, fallback).get('hives.service'))).toStrictEqual(heads(plain.unit))
        expect(heads(filesOf('container', about, fallback).get('Containerfile'))).toStrictEqual(heads(plain.file))
      }),
    )
  })

  test('compose files and Kubernetes objects keep the keys of their templates', async () => {
    const keys = (held: string) =>
      JSON.stringify(parseYaml(held), (_key, value) => (typeof value === 'string' ? '' : value))
    const plain = keys(filesOf('container', 'x', 'y').get('compose.yaml') ?? '')
    await holds(
      fc.property(text, text, (about, fallback) => {
        expect(keys(filesOf('container', about, fallback).get('compose.yaml') ?? '')).toBe(plain)
      }),
      50,
    )
  })

  test.each([
    ['name', { name: 'hives\nEnvironment=X=1' }],
    ['name', { name: 'x'.repeat(129) }],
    ['version', { version: '1\u2028' }],
    ['title', { title: 'Hives\r\nExecStart=/bin/sh' }],
    ['setting', { settings: { 'A\nB': setting({ about: 'x' }) } }],
    ['setting', { settings: { 'A=1;B': setting({ about: 'x' }) } }],
  ])('a kit with an invalid %s is refused: %j', (field, more) => {
    expect(() => defineKit({ name: 'hives', version: '1.0.0', parts: [], ...more } as never)).toThrow(field)
  })

  test('the first lines of a packed file stay two lines', () => {
    expect(headOf('0.1.0', { kit: 'a\nb', version: '1\n//' }).split('\n')).toHaveLength(3)
  })
})
