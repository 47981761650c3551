import { statSync } from 'node:fs'
import { dirname, resolve } from 'node:path'
import { Command } from 'commander'
import { problems } from '../errors.js'
import { namesIn } from '../kit/choose.js'
import { shownPath } from '../target/kit-file.js'
import { tokensOf } from '../wrap/context-cost.js'
import { type KnownSource, knownSource, wrapKinds } from '../wrap/kinds.js'
import { modulePlanText } from './module-plan-text.js'
import { Failed, out, outJson, say } from './output.js'
import { restPlanText } from './rest-plan-text.js'
import { gather, targetOptions } from './target-options.js'
import { type DataFlags, isData, wrapData } from './wrap-data.js'

interface Flags extends DataFlags {
  kind?: string
  writes?: boolean
  catalogue?: boolean
  templates?: string
  baseUrl?: string
  credential?: string
  operations?: string
  header?: string[]
  keepValues?: boolean
  allowRef?: string
  credentialOrigin?: string
}

export const wrap = () =>
  new Command('wrap')
    .description('Says what tools a source would become, and writes a kit file for them.')
    .argument(
      '<source>',
      'functions (.ts, .js, a package), an OpenAPI description (file or URL), a GraphQL schema, curl lines (.md, .sh, .http, .har), a database (.sqlite, postgres://, mysql://), a folder, or a feed (mqtt://)',
    )
    .option('--kind <kind>', `what the source is, where its name does not say it: ${wrapKinds.join(', ')}`)
    .option('--only <tools>', 'take these only: names, globs or tag:…, separated by commas; of an API also paths')
    .option('--except <tools>', 'take all but these')
    .option('--prefix <text>', 'put before every name')
    .option('--writes', 'of an API: take what writes too; without it, only what reads or is named by --only')
    .option(
      '--catalogue',
      'of an API: three tools that find, explain and carry out, instead of one for each operation',
    )
    .option('--no-catalogue', 'of an API: a tool for each operation, however many')
    .option('--templates <operations>', 'of an API: these become resource templates instead of tools')
    .option('--base-url <url>', 'of an API: where it is, instead of where the source says')
    .option('--setting-prefix <text>', 'of an API: put before the names of its settings, such as REGISTRY')
    .option(
      '--credential <kind>',
      'of an API whose description says none: bearer, basic, header:NAME or query:NAME',
    )
    .option(
      '--allow-ref <places>',
      'of an API: origins or folders besides its own that $ref may lead to, separated by commas',
    )
    .option(
      '--credential-origin <origins>',
      'of an API: origins besides its own that get its credentials, separated by commas',
    )
    .option('--keep-values', 'of a HAR recording: use the recorded values as defaults and examples')
    .option('--operations <files>', 'of a graph: files with its operations, separated by commas')
    .option(
      '--ad-hoc',
      'of a graph or a database: two more tools, one that explains what there is, one that runs a query that only reads',
    )
    .option('--queries <files>', 'of a database: files or folders with SQL statements, separated by commas')
    .option('--no-tables', 'of a database: no resources for its tables')
    .option('--name <name>', 'of a database, folder or feed: what its URIs and tools are named by')
    .option('--hidden', 'of a folder: take hidden files too')
    .option('--no-search', 'of a folder: no tool that finds passages')
    .option('--listen <ms>', 'of a feed: how long to listen for what it reports; 3000 by default')
    .option(
      '--header <name: value>',
      'of a graph that is asked for its schema: sent with that (again for more)',
      gather,
    )
    .option('--out <file>', 'write a kit file')
    .option('--check', 'with --out: say whether the source has moved on since the kit was written')
    .option('--force', 'with --out: write over a kit that was edited')
    .option('--json', 'the plan as JSON')
    .addHelpText(
      'after',
      [
        '\nExamples: jexo wrap colony.ts --out colony.kit.ts && jexo serve colony.kit.ts',
        '          jexo wrap registry.openapi.yaml --only "tag:hives" --out registry.kit.ts',
        '          jexo wrap README.md          (the curl lines in it)',
        '          jexo wrap ledger.sqlite --queries queries/ --out ledger.kit.ts',
        '          jexo wrap fieldguide/ --out fieldguide.kit.ts',
      ].join('\n'),
    )
    .action(async (given: string, flags: Flags) => {
      const known = knownSource(given, flags.kind)
      if (flags.check && flags.out === undefined)
        throw problems.argumentUnreadable('--check', '--out <kit file> as well')
      if (isData(known)) return wrapData(known, labelOf(known.source), flags)
      if (flags.check) return check(known, flags)
      return known.kind === 'module' ? wrapFunctions(known.source, flags) : wrapApi(known, flags)
    })

const choice = ({ only, except, prefix }: Flags) => ({
  ...(only === undefined ? {} : { only: namesIn(only) }),
  ...(except === undefined ? {} : { except: namesIn(except) }),
  ...(prefix === undefined ? {} : { prefix }),
})

async function wrapFunctions(source: string, flags: Flags): Promise<void> {
  const { planOf } = await import('../wrap/module/wrap-module.js')
  const { writeKit } = await import('../wrap/module/write-kit.js')
  const { readModuleCached } = await import('../wrap/module/cache.js')
  const options = choice(flags)
  // A written kit can make an instance of a class that needs nothing to be made.
  const { makeable: instances } = await readModuleCached(source)
  const isForced = flags.force === true
  const plan =
    flags.out === undefined
      ? await planOf(source, options, instances)
      : await writeKit(source, flags.out, { ...options, instances, isForced })
  if (flags.json) return outJson(plan)
  out(modulePlanText(plan, labelOf(source), await tokensOf(plan.tools)))
  if (plan.tools.length === 0)
    throw problems.wrapNothingLeft(
      labelOf(source),
      plan.leftOut.map(({ name }) => name),
    )
  sayWritten(flags.out)
}

async function wrapApi(known: KnownSource, flags: Flags): Promise<void> {
  const options = {
    ...choice(flags),
    ...(flags.writes ? { writes: true } : {}),
    ...(flags.catalogue === undefined ? {} : { catalogue: flags.catalogue }),
    ...(flags.templates === undefined ? {} : { templates: namesIn(flags.templates) }),
    ...(flags.baseUrl === undefined ? {} : { baseUrl: flags.baseUrl }),
    ...(flags.settingPrefix === undefined ? {} : { settingPrefix: flags.settingPrefix }),
    ...(flags.credential === undefined ? {} : { credential: credentialOf(flags.credential) }),
    ...(flags.operations === undefined
      ? {}
      : { operations: namesIn(flags.operations).map((file) => resolve(file)) }),
    ...(flags.adHoc ? { adHoc: true } : {}),
    ...(flags.allowRef === undefined
      ? {}
      : {
          allowReferences: namesIn(flags.allowRef).map((place) =>
            /^(https?|file):/.test(place) ? place : resolve(place),
          ),
        }),
    ...(flags.credentialOrigin === undefined ? {} : { credentialOrigins: namesIn(flags.credentialOrigin) }),
    ...(flags.keepValues ? { keepValues: true } : {}),
  }
  // Large descriptions and slow servers take seconds.
  if (/^https?:/.test(known.source) || statSync(known.source).size > 4_000_000)
    say(`Reading ${labelOf(known.source)} …`)
  const plan = await planOfApi(known, { ...options, ...introspection(flags) })
  if (flags.out !== undefined) {
    const { writeRestKit } = await import('../wrap/rest/write-kit.js')
    writeRestKit(plan, flags.out, {
      source: known.source,
      options,
      isForced: flags.force === true,
    })
  }
  if (flags.json) return outJson(plan)
  out(restPlanText(plan, labelOf(known.source), await costOf(plan)))
  if (plan.operations.length === 0 && plan.sdl === undefined) {
    const { reasonsOf } = await import('../wrap/rest/reasons.js')
    throw problems.wrapTakesNothing(labelOf(known.source), reasonsOf(plan))
  }
  sayWritten(flags.out)
}

/** What is sent to be let in is for now, not for the kit. */
function introspection({ header }: Flags): object {
  return header === undefined ? {} : { introspectionHeaders: targetOptions({ header }).headers }
}

async function planOfApi({ kind, source }: KnownSource, options: object) {
  if (kind === 'graphql') return (await import('../wrap/graphql/wrap-graphql.js')).graphPlan(source, options)
  if (kind === 'curl') return (await import('../wrap/curl/wrap-curl.js')).curlPlan(source, options)
  return (await import('../wrap/openapi/wrap-openapi.js')).openApiPlan(source, options)
}

/** What either way costs: a tool each, or a catalogue. */
async function costOf(plan: Awaited<ReturnType<typeof planOfApi>>) {
  const { restPartsOf } = await import('../wrap/rest/parts.js')
  const cost = (form: 'tools' | 'catalogue') =>
    tokensOf(
      restPartsOf({ ...plan, form }).flatMap((part) =>
        part.kind === 'tool' ? [{ name: part.name, about: part.about, input: part.inputSchema }] : [],
      ),
    )
  return { tools: await cost('tools'), catalogue: await cost('catalogue') }
}

function credentialOf(text: string): object {
  const [kind = '', parameter = ''] = text.split(/:(.*)/s)
  if (kind === 'bearer' || kind === 'basic') return { kind }
  if ((kind === 'header' || kind === 'query') && parameter !== '') return { kind: 'apiKey', in: kind, parameter }
  throw problems.argumentUnreadable(`--credential ${text}`, 'bearer, basic, header:NAME or query:NAME')
}

async function check(known: KnownSource, flags: Flags): Promise<void> {
  const kitFile = flags.out ?? ''
  const label = labelOf(known.source)
  const differences = await differencesIn(known, kitFile, flags)
  if (differences.length === 0) return out(`${kitFile} is up to date with ${label}.`)
  out(differences.join('\n'))
  say(`${label} has moved on since ${kitFile} was written.`)
  throw new Failed()
}

async function differencesIn(known: KnownSource, kitFile: string, flags: Flags): Promise<readonly string[]> {
  if (known.kind !== 'module') {
    const { checkRestKit } = await import('../wrap/rest/write-kit.js')
    return checkRestKit(kitFile, (options) =>
      planOfApi(known, { ...besideKit(options, kitFile), ...introspection(flags) }),
    )
  }
  const { checkKit } = await import('../wrap/module/write-kit.js')
  return (await checkKit(known.source, kitFile)).differences
}

/** Files that a kit names are beside it. */
function besideKit(options: Readonly<Record<string, unknown>>, kitFile: string): object {
  const { operations } = options
  if (!Array.isArray(operations)) return options
  return { ...options, operations: operations.map((file) => resolve(dirname(resolve(kitFile)), String(file))) }
}

function sayWritten(file: string | undefined): void {
  if (file === undefined) say('\nNothing is written yet; --out <name>.kit.ts writes a kit file.')
  else say(`\nWritten: ${file}   (try it: jexo show ${file})`)
}

/** A package goes by its name, an address by itself. */
const labelOf = (source: string): string =>
  /^[a-z][a-z\d+.-]+:\/\//i.test(source)
    ? source.replace(/\/\/[^@/]*@/, '//')
    : (/.*[\\/]node_modules[\\/]((?:@[^\\/]+[\\/])?[^\\/]+)/.exec(source)?.[1] ?? shownPath(source))
