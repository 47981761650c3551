import { join, resolve } from 'node:path'
import { gzipSync } from 'node:zlib'
import type { Plugin } from 'esbuild'
import { esbuild } from '../esbuild.js'

/**
 * Carries what few calls need as compressed text, which becomes code at the first `import()`: the second engine for patterns and the compiler
 * of schemas. As code, they would be read at every start.
 *
 * @param built folder of the compiled Jexo
 */
export function latePackages(built: string): Plugin {
  const ajv = join(built, 'kit/ajv.js')
  return {
    name: 'jexo-late-packages',
    setup(plugin) {
      plugin.onResolve({ filter: /^re2js$|^\.\/ajv\.js$/ }, ({ path, kind, resolveDir }) => {
        const isLate = kind === 'dynamic-import' && (path === 're2js' || resolve(resolveDir, path) === ajv)
        // By its short name, which is the same on every machine.
        return isLate ? { path, namespace: 'jexo-late', pluginData: resolveDir } : undefined
      })
      plugin.onLoad({ filter: /.*/, namespace: 'jexo-late' }, async ({ path, pluginData }) => ({
        contents: unpacking(gzipSync(await codeOf(path, pluginData), { level: 9 })),
        resolveDir: pluginData,
      }))
    },
  }
}

async function codeOf(name: string, resolveDir: string): Promise<string> {
  const { outputFiles } = await esbuild().build({
    stdin: { contents: `module.exports = require(${JSON.stringify(name)})`, resolveDir },
    bundle: true,
    write: false,
    platform: 'node',
    format: 'cjs',
    target: 'node20',
    minify: true,
    legalComments: 'none',
    logLevel: 'silent',
  })
  return outputFiles[0]?.text ?? ''
}

/** The text is base64, so it needs no escaping in code. */
const unpacking = (code: Buffer): string =>
  [
    `const { gunzipSync } = require('node:zlib')`,
    `const code = gunzipSync(Buffer.from('${code.toString('base64')}', 'base64')).toString()`,
    `new Function('module', 'require', code)(module, require)`,
  ].join('\n')
