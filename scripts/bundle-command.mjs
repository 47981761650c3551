/**
 * Bundles the command line into `dist/command/`: Node loads a few files instead of several hundred, so that a command starts in a
 * fraction of the time. Kits that a command loads get the doors from there too (see `src/kit-file/module-hooks.ts`).
 */
import { cpSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { build } from 'esbuild'

const root = join(import.meta.dirname, '..')
const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'))
/** Pages import these; no command does. */
const browserDoors = new Set(['./view', './view/react', './host/frame'])
const doors = Object.entries(exports).flatMap(([name, door]) =>
  door.default && !browserDoors.has(name) ? [/(\w+)\.js$/.exec(door.default)[1]] : [],
)

/** Packages that only this library uses. What kits use too, what has native parts and what is loaded late stays a package of its own. */
const inside = new Set(
  (
    '@cfworker/json-schema @hono/node-server hono chokidar commander diff dotenv eventsource-parser fastest-levenshtein htmlparser2 ' +
    'http-link-header ignore ipaddr.js js-yaml jsonc-parser kysely markdown-it mime-types minisearch p-limit picocolors shell-quote smol-toml yaml'
  ).split(' '),
)
const packages = {
  name: 'packages',
  setup({ onResolve }) {
    onResolve({ filter: /^[^./]/ }, ({ path, kind, importer }) => {
      if (kind === 'entry-point' || importer.includes('node_modules')) return undefined
      const name = path
        .split('/')
        .slice(0, path.startsWith('@') ? 2 : 1)
        .join('/')
      return inside.has(name) ? undefined : { path, external: true }
    })
  },
}

await build({
  entryPoints: [
    ...doors.map((door) => ({ in: join(root, `src/${door}.ts`), out: door })),
    { in: join(root, 'src/cli/main.ts'), out: 'main' },
    { in: join(root, 'src/kit-file/module-hooks.ts'), out: 'module-hooks' },
    { in: join(root, 'src/target/kit-process/main.ts'), out: 'kit-process' },
  ],
  outdir: join(root, 'dist/command'),
  chunkNames: '[name]-[hash]',
  bundle: true,
  splitting: true,
  plugins: [packages],
  mainFields: ['module', 'main'],
  banner: {
    js: "import { createRequire as jexoCreateRequire } from 'node:module';const require = jexoCreateRequire(import.meta.url);",
  },
  platform: 'node',
  format: 'esm',
  target: 'node20',
  logLevel: 'warning',
})

// It finds its program by where it stands, and so is not bundled (see `src/esbuild.ts`).
for (const file of ['lib/main.js', 'LICENSE.md'])
  cpSync(join(root, 'node_modules/esbuild', file), join(root, 'dist/esbuild', file))
writeFileSync(join(root, 'dist/esbuild/package.json'), '{ "type": "commonjs" }\n')
