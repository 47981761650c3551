import { existsSync, readFileSync, statSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { Command } from 'commander'
import { problems } from '../errors.js'
import { namesIn } from '../kit/choose.js'
import { shownPath } from '../target/kit-file.js'
import { readModuleCached } from '../wrap/module/cache.js'
import type { ModulePlanOptions } from '../wrap/module/plan.js'
import { planOf } from '../wrap/module/wrap-module.js'
import { checkKit, writeKit } from '../wrap/module/write-kit.js'
import { modulePlanText } from './module-plan-text.js'
import { Failed, out, outJson, say } from './output.js'

interface Flags {
  kind?: string
  only?: string
  except?: string
  prefix?: string
  out?: string
  check?: boolean
  force?: boolean
  json?: boolean
}

export const wrap = () =>
  new Command('wrap')
    .description('Says what tools a source would become, and writes a kit file for them.')
    .argument('<source>', 'a .ts, .mts, .tsx or .js file with functions, or the name of an installed package')
    .option('--kind <kind>', 'what the source is, where its name does not say it: module')
    .option('--only <tools>', 'take these only: names, globs or tag:…, separated by commas')
    .option('--except <tools>', 'take all but these')
    .option('--prefix <text>', 'put before every name')
    .option('--out <file>', 'write a kit file')
    .option('--check', 'with --out: say whether the source has moved on since the kit was written')
    .option('--force', 'with --out: write over a kit that was edited')
    .option('--json', 'the plan as JSON')
    .addHelpText(
      'after',
      '\nExample: jexo wrap colony.ts\n         jexo wrap colony.ts --out colony.kit.ts && jexo serve colony.kit.ts',
    )
    .action(async (given: string, flags: Flags) => {
      const source = sourceOf(given, flags.kind)
      if (flags.check) return check(source, flags.out)
      const options: ModulePlanOptions = {
        ...(flags.only === undefined ? {} : { only: namesIn(flags.only) }),
        ...(flags.except === undefined ? {} : { except: namesIn(flags.except) }),
        ...(flags.prefix === undefined ? {} : { prefix: flags.prefix }),
      }
      // A written kit can make an instance of a class that needs nothing to be made.
      const { makeable: instances } = await readModuleCached(source)
      const isForced = flags.force === true
      const plan =
        flags.out === undefined
          ? await planOf(source, options, instances)
          : await writeKit(source, flags.out, { ...options, instances, isForced })
      if (flags.json) return outJson(plan)
      out(modulePlanText(plan, labelOf(source)))
      if (flags.out !== undefined) say(`\nWritten: ${flags.out}   (try it: jexo show ${flags.out})`)
      else if (plan.tools.length === 0)
        throw problems.wrapNothingLeft(
          labelOf(source),
          plan.leftOut.map(({ name }) => name),
        )
      else say('\nNothing is written yet; --out <name>.kit.ts writes a kit file.')
    })

async function check(source: string, kitFile: string | undefined): Promise<void> {
  if (kitFile === undefined) throw problems.argumentUnreadable('--check', '--out <kit file> as well')
  const { differences } = await checkKit(source, kitFile)
  if (differences.length === 0) return out(`${kitFile} is up to date with ${labelOf(source)}.`)
  out(differences.join('\n'))
  say(`${labelOf(source)} has moved on since ${kitFile} was written.`)
  throw new Failed()
}

/** A package goes by its name. */
const labelOf = (source: string): string =>
  /.*[\\/]node_modules[\\/]((?:@[^\\/]+[\\/])?[^\\/]+)/.exec(source)?.[1] ?? shownPath(source)

const moduleFile = /\.[cm]?[jt]sx?$/

function sourceOf(given: string, kind: string | undefined): string {
  if (kind !== undefined && kind !== 'module') throw problems.argumentUnreadable(`--kind ${kind}`, 'module')
  const path = resolve(given)
  if (existsSync(path) && statSync(path).isFile()) {
    if (kind === undefined && !moduleFile.test(path)) throw problems.sourceUnknownKind(given, ['module'])
    return path
  }
  const packaged = /^(@[\w.-]+\/)?[\w.-]+$/.test(given) ? packageEntry(given) : undefined
  if (packaged === undefined) throw problems.sourceMissing(given)
  return packaged
}

/** The file that a package is imported by, from the folder that one is in. */
function packageEntry(name: string): string | undefined {
  for (let folder = process.cwd(); ; folder = dirname(folder)) {
    const root = join(folder, 'node_modules', name)
    const manifest = join(root, 'package.json')
    if (existsSync(manifest)) {
      const {
        exports,
        module,
        main = 'index.js',
      } = JSON.parse(readFileSync(manifest, 'utf8')) as Record<string, unknown>
      return join(root, importTarget(exports) ?? String(module ?? main))
    }
    if (folder === dirname(folder)) return undefined
  }
}

function importTarget(exports: unknown): string | undefined {
  if (typeof exports === 'string') return exports
  if (typeof exports !== 'object' || exports === null) return undefined
  const given = exports as Record<string, unknown>
  return importTarget(given['.'] ?? given.import ?? given.node ?? given.default ?? given.require)
}
