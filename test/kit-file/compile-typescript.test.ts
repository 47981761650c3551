import { compileTypeScript } from '../../src/kit-file/compile-typescript.js'

const run = async (source: string): Promise<{ value: unknown }> =>
  (await import(`data:text/javascript,${encodeURIComponent(compileTypeScript(source, '/hives/a.kit.ts'))}`)) as {
    value: unknown
  }

test.each([
  ['types', 'type Hive = { kg: number }\nexport const value: number = ({ kg: 4 } satisfies Hive as Hive).kg', 4],
  ['enums', 'enum Unit { Kg = "kg", G = 2 }\nexport const value = [Unit.Kg, Unit.G]', ['kg', 2]],
  [
    'parameter properties',
    'class Hive { constructor(readonly code: string) {} }\nexport const value = new Hive("a").code',
    'a',
  ],
  [
    'imports of types',
    'import type { A } from "none"\nimport { type B } from "node:fs"\nexport const value: A | B | 1 = 1',
    1,
  ],
  [
    'generics and overloads',
    'function a(x: string): string\nfunction a<T,>(x: T) { return x }\nexport const value = a<string>("b")',
    'b',
  ],
  ['text that looks like a decorator', 'export const value = `\n@hive\nclass A {}`', '\n@hive\nclass A {}'],
  ['namespaces', 'namespace Hives { export const count = 12 }\nexport const value = Hives.count', 12],
  [
    'decorators',
    'function seen(f: () => number) { return () => f() + 1 }\nclass A {\n  @(seen as any)\n  count(): number { return 1 }\n}\nexport const value = new A().count()',
    2,
  ],
])('compiles %s', async (_name, source, value) => {
  expect((await run(source)).value).toStrictEqual(value)
})

test('line numbers are kept, and an error names its place', () => {
  const source = 'type A = {\n  b: string\n}\n\nexport const a: A = { b: "" }\n'
  expect(compileTypeScript(source, 'a.kit.ts').split('\n')[4]).toContain('export const a')
  expect(() => compileTypeScript('export const a = {\n  b: :\n}', '/hives/a.kit.ts')).toThrow(
    /line 2, column \d+ of \/hives\/a\.kit\.ts: .* in `b: :`/,
  )
})
