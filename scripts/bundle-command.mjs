/**
 * Bundles the command line into `dist/command/`: Node loads a few files instead of several hundred, so a command starts
 * in a fraction of the time. Kits that a command loads use the doors in there too (see `src/kit-file/module-hooks.ts`).
 */
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { build } from 'esbuild'
import { vendoredName } from './vendor.mjs'

const root = join(import.meta.dirname, '..')
const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'))
/** For pages; no command imports these. */
const browserDoors = new Set(['./view', './view/react', './host/frame'])
const doors = Object.entries(exports).flatMap(([name, door]) =>
  door.default && !browserDoors.has(name) ? [/(\w+)\.js$/.exec(door.default)[1]] : [],
)

/** Packages that are built in are in `dist/vendor/`; others are imported by name. */
const packages = {
  name: 'packages',
  setup({ onResolve }) {
    onResolve({ filter: /^[^./]/ }, ({ path, kind }) => {
      if (kind === 'entry-point') return undefined
      const name = `${vendoredName(path)}.js`
      return { path: existsSync(join(root, 'dist/vendor', name)) ? `../vendor/${name}` : path, external: true }
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
  platform: 'node',
  format: 'esm',
  target: 'node20',
  logLevel: 'warning',
})

// The remote side of `ship`: one file that needs only Node.
await build({
  entryPoints: [join(root, 'dist/ship/supervisor/main.js')],
  outfile: join(root, 'dist/ship/supervisor.mjs'),
  bundle: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  minify: true,
  logLevel: 'warning',
  logOverride: { 'ignored-bare-import': 'silent' },
  banner: {
    js: `import { createRequire as jexoCreateRequire } from 'node:module';const require = jexoCreateRequire(import.meta.url);`,
  },
})
