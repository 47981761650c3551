import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { defineKit } from 'jexo'
import { dial, type Link } from 'jexo/link'
import { type WrapModuleOptions, wrapModule } from 'jexo/module'
import { newFolder } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { typeCases } from './module-cases.js'

/** Writes modules into a folder of their own; gives the path of the first. */
function modules(files: Record<string, string>): string {
  const folder = newFolder()
  for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text)
  return join(folder, Object.keys(files)[0] ?? '')
}
const module = (source: string, name = 'source.mjs') => modules({ [name]: source })

async function linkTo(file: string, options: WrapModuleOptions = {}): Promise<Link> {
  const parts = await wrapModule(file, options)
  return dial(defineKit({ name: 'wrapped', version: '1', parts }))
}
const snake = (name: string) => name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`)

describe('a type becomes a schema, and the value arrives as what it is', () => {
  let link: Link
  let tools: Map<string, Loose>
  beforeAll(async () => {
    link = await linkTo(module(typeCases.map(({ source }) => source).join('\n'), 'cases.ts'))
    tools = new Map((await link.tools()).map((tool) => [tool.name, tool]))
  })
  afterAll(() => link.close())

  test.each(typeCases.map((row) => [row.name, row] as const))('%s', async (name, row) => {
    const { inputSchema, outputSchema } = tools.get(snake(name))
    expect(inputSchema).toMatchObject({ type: 'object', additionalProperties: false })
    expect(inputSchema.properties).toMatchObject(row.input)
    if (row.required) expect(inputSchema.required ?? []).toEqual(row.required)
    if (row.output) expect(outputSchema).toMatchObject(row.output)
    for (const schema of [inputSchema, outputSchema]) {
      if (schema)
        expect(
          new Ajv2020({ strict: false, formats: { uri: true, 'date-time': true, email: true } }).validateSchema(
            schema,
          ),
        ).toBe(true)
    }
    const [given, back] = row.call
    const result = await link.call(snake(name), given)
    expect(result.isError ? result.content : result.structuredContent).toEqual(back)
    if (!row.wrong) return
    const refused = await link.call(snake(name), row.wrong[0])
    expect(refused.isError).toBe(true)
    expect(JSON.stringify(refused.content)).toContain(row.wrong[1])
  })
})
