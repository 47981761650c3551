/**
 * A measured process, which prints its milliseconds: `plan.mjs own|bare <file>` plans a module, or has TypeScript check
 * it; `plan.mjs api|json <file>` plans a large API, or only parses its description.
 */
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'

const [, , kind, file] = process.argv
const startedAt = performance.now()
if (kind === 'own') {
  const { planModule } = await import('../dist/module.js')
  const { tools } = await planModule(file)
  if (tools.length !== 200) throw new Error(`${tools.length} tools instead of 200`)
} else if (kind === 'api') {
  const { planOpenApi } = await import('../dist/openapi.js')
  const { operations } = await planOpenApi(file, { writes: true })
  if (operations.length < 1000) throw new Error(`${operations.length} operations only`)
} else if (kind === 'json') {
  JSON.parse(readFileSync(file, 'utf8'))
} else {
  const ts = createRequire(import.meta.url)('typescript')
  const program = ts.createProgram([file], {
    strict: true,
    noEmit: true,
    skipLibCheck: true,
    target: ts.ScriptTarget.ES2022,
    module: ts.ModuleKind.ESNext,
    moduleResolution: ts.ModuleResolutionKind.Bundler,
    allowImportingTsExtensions: true,
    types: [],
  })
  if (ts.getPreEmitDiagnostics(program).length > 0) throw new Error('the sources have errors')
}
process.stdout.write(String(performance.now() - startedAt))
