import { version } from '../version.js'
import { viewFiles, viewPart } from './view-files.js'

export interface ProjectFile {
  path: string
  text: string
  isProgram?: boolean
}

/** The name of a new project, and the source of its Jexo. */
export interface ProjectNames {
  /** Name of the folder, package and kit: lower case, digits, dashes. */
  name: string
  /** The version of each package in the manifest: a range, or `file:` and a path. */
  versions: Readonly<Record<'jexo' | 'zod' | 'esbuild' | 'typescript' | '@types/node', string>> & {
    readonly vite?: string
  }
  /** Includes a view that shows the result of its tool. */
  hasView?: boolean
}

/** The files of a new kit project: it runs, passes its test, and contains nothing to delete. */
export function projectFiles({ name, versions, hasView = false }: ProjectNames): ProjectFile[] {
  const kit = `${name}.kit.ts`
  return [
    { path: 'package.json', text: manifest(name, versions) },
    { path: kit, text: kitText(name, hasView) },
    ...(hasView ? viewFiles(name) : []),
    { path: `test/${name}.test.mjs`, text: testText(kit) },
    { path: 'cases/days_between.case.yaml', text: caseText(kit) },
    { path: 'ci.sh', text: ciText, isProgram: true },
    { path: 'README.md', text: readme(name, kit, hasView) },
    { path: 'tsconfig.json', text: tsconfig(hasView) },
    { path: '.gitignore', text: 'node_modules/\npacked/\n.env\n*.tape.jsonl\n' },
  ]
}

const manifest = (name: string, { jexo, zod, ...development }: ProjectNames['versions']) =>
  `${JSON.stringify(
    {
      name,
      version: '0.1.0',
      private: true,
      type: 'module',
      scripts: {
        check: 'tsc',
        test: 'node --test test/*.test.mjs && jexo replay cases/',
        start: `jexo serve ${name}.kit.ts`,
        loupe: `jexo loupe ${name}.kit.ts`,
        pack: `jexo pack ${name}.kit.ts`,
      },
      engines: { node: '>=20.19' },
      dependencies: { jexo, zod },
      devDependencies: development,
    },
    null,
    2,
  )}\n`

const kitText = (
  name: string,
  hasView: boolean,
) => `import { defineKit, Refusal, tool${hasView ? ', view' : ''} } from 'jexo'
import { limitRate, timeLimit } from 'jexo/layers'
import { z } from 'zod'

const dayMs = 24 * 60 * 60 * 1000
${hasView ? viewPart(name) : ''}
const daysBetween = tool('days_between', {
  about: 'Number of days between two dates. Negative if the second date is earlier.',
  input: z.object({
    from: z.iso.date().describe('First date, such as 2026-06-02'),
    to: z.iso.date().describe('Second date, such as 2026-06-09'),
  }),
  output: z.object({ days: z.number().int() }),
  effect: 'read',
${hasView ? '  view: calendar,\n' : ''}  examples: [{ input: { from: '2026-06-02', to: '2026-06-09' }, output: { days: 7 } }],
  run({ from, to }) {
    const days = Math.round((Date.parse(to) - Date.parse(from)) / dayMs)
    if (Math.abs(days) > 365_000) throw new Refusal('These dates are more than a thousand years apart; is one mistyped?')
    return { days }
  },
})

export default defineKit({
  name: '${name}',
  version: '0.1.0',
  about: 'Calculates with dates.',
  // Limits for every call: at most 600 a minute from one caller, and 30 seconds each.
  layers: [limitRate({ calls: 600, perMs: 60_000 }), timeLimit({ ms: 30_000 })],
  parts: [daysBetween],
})
`

const testText = (kit: string) => `import assert from 'node:assert/strict'
import { after, before, test } from 'node:test'
import { openKit } from 'jexo/testing'

let link
before(async () => {
  link = await openKit(new URL('../${kit}', import.meta.url))
})
after(() => link.close())

test('counts the days between two dates', async () => {
  const { structuredContent } = await link.call('days_between', { from: '2026-06-02', to: '2026-06-09' })
  assert.deepEqual(structuredContent, { days: 7 })
})

test('asks whether a date is mistyped where they are far apart', async () => {
  const { isError, content } = await link.call('days_between', { from: '0026-06-02', to: '2026-06-09' })
  assert.equal(isError, true)
  assert.match(content[0].text, /mistyped/)
})
`

const caseText = (kit: string) => `# Recorded calls and their expected results: jexo replay cases/
# Record one with: jexo call ${kit} days_between from=2026-06-02 to=2026-06-09 --save cases/another.case.yaml
version: 1
target: ${kit}
steps:
  - call: days_between
    with: { from: "2026-06-02", to: "2026-06-09" }
    expect:
      structured: { days: 7 }
  - call: days_between
    with: { from: June, to: "2026-06-09" }
    expect:
      failure: true
`

const ciText = `#!/bin/sh
# All checks that a change must pass, for any CI.
set -eu
cd "$(dirname "$0")"
npm install --no-audit --no-fund
npm run check
npm test
npx jexo pack *.kit.ts --out packed
`

const readme = (name: string, kit: string, hasView: boolean) => `# ${name}

A Model Context Protocol server, made with Jexo.

\`\`\`sh
npm test                        # the tests, and the recorded cases; npm run check for types
npm run loupe                   # a page to see and try everything
npx jexo call ${kit} days_between from=2026-06-02 to=2026-06-09
npx jexo attach ${kit}   # the entry for a host's configuration
npm start                       # on stdin and stdout, as hosts start it
npm run pack                    # one file that needs only Node
\`\`\`

Tools are values in \`${kit}\`: a name, what it does in words for a model, a schema, a function. Add one to \`parts\`;
\`jexo wrap\` makes them from functions, APIs, databases and folders that are there already. \`ci.sh\` is for CI.
${
  hasView
    ? `
\`view/\` is the page that hosts with views show beside the result. \`npm run loupe\` shows it too: pick \`days_between\`, send its
example, and edit \`view/main.ts\`; the page follows each change and keeps its input.
`
    : ''
}`

const tsconfig = (hasView: boolean) =>
  `${JSON.stringify(
    {
      compilerOptions: {
        target: 'es2023',
        module: 'nodenext',
        strict: true,
        noEmit: true,
        skipLibCheck: true,
        types: ['node', ...(hasView ? ['vite/client'] : [])],
      },
      include: ['*.ts', ...(hasView ? ['view/*.ts'] : [])],
    },
    null,
    2,
  )}\n`

/** The version range of packages if this Jexo was installed from a registry. */
export const releasedRange = `^${version}`
