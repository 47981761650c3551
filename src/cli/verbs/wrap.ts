import { statSync } from 'node:fs'
import { dirname, resolve } from 'node:path'
import { Command } from 'commander'
import { tokensOf } from '../../context-cost/context-cost.js'
import { namesIn } from '../../kit/choose.js'
import { kitErrors } from '../../kit/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { type KnownSource, knownSource, wrapKinds } from '../../wrap/detect/source-kind.js'
import { kitWriterErrors } from '../../wrap/kit-writer/errors.js'
import { moduleErrors } from '../../wrap/module/errors.js'
import { gather, targetOptions } from '../options/target-options.js'
import { Failed, out, outJson, say } from '../terminal/output.js'
import { modulePlanText } from '../text/module-plan-text.js'
import { restPlanText } from '../text/rest-plan-text.js'
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
    .description('Preview the tools a source would become; write a kit file with --out')
    .argument(
      '<source>',
      'functions (.ts, .js, a package), an OpenAPI description (file or URL), a GraphQL schema, curl commands (.md, .sh, .http, .har), a database (.sqlite, postgres://, mysql://), a folder, or a feed (mqtt://)',
    )
    .option('--kind <kind>', `type of the source, if its name does not tell: ${wrapKinds.join(', ')}`)
    .option(
      '--only <tools>',
      'include only these: names, globs or tag:…, separated by commas; for an API also paths',
    )
    .option('--except <tools>', 'exclude these')
    .option('--prefix <text>', 'prefix of every name')
    .option('--writes', 'API: include operations that write; default: only reads and those named by --only')
    .option('--catalogue', 'API: three tools (search, explain, call) instead of one per operation')
    .option('--no-catalogue', 'API: one tool per operation, however many')
    .option('--templates <operations>', 'API: operations to offer as resource templates instead of tools')
    .option('--base-url <url>', "API: base URL that overrides the source's own")
    .option('--setting-prefix <text>', 'API: prefix of its setting names, such as REGISTRY')
    .option(
      '--credential <kind>',
      'API: authentication, if the description names none: bearer, basic, header:NAME or query:NAME',
    )
    .option('--allow-ref <places>', 'API: additional origins or folders that $ref may read, separated by commas')
    .option(
      '--credential-origin <origins>',
      'API: additional origins that receive its credentials, separated by commas',
    )
    .option('--keep-values', 'HAR recording: use the recorded values as defaults and examples')
    .option('--operations <files>', 'GraphQL: files with operations, separated by commas')
    .option(
      '--ad-hoc',
      'GraphQL or database: add a tool that explains the schema and one that runs a read-only query',
    )
    .option('--queries <files>', 'database: files or folders with SQL statements, separated by commas')
    .option('--no-tables', 'database: no resources for tables')
    .option('--name <name>', 'database, folder or feed: name used in URIs and tools')
    .option('--hidden', 'folder: include hidden files')
    .option('--no-search', 'folder: no search tool')
    .option('--listen <ms>', 'feed: how long to listen for topics, in milliseconds; default: 3000')
    .option('--header <name: value>', 'GraphQL: header to send with the introspection query (repeatable)', gather)
    .option('--out <file>', 'write a kit file')
    .option('--check', 'with --out: check whether the source changed since the kit was written')
    .option('--force', 'with --out: overwrite an edited kit')
    .option('--json', 'print the plan as JSON')
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
        throw kitErrors.argumentUnreadable('--check', '--out <kit file> as well')
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
  const { planModule } = await import('../../wrap/module/wrap-module.js')
  const { writeKit } = await import('../../wrap/module/write-kit.js')
  const { readModuleCached } = await import('../../wrap/module/cache.js')
  const options = choice(flags)
  // A written kit can make an instance of a class that needs nothing to be made.
  const { makeable: instances } = await readModuleCached(source)
  const isForced = flags.force === true
  const plan =
    flags.out === undefined
      ? await planModule(source, options, instances)
      : await writeKit(source, flags.out, { ...options, instances, isForced })
  if (flags.json) return outJson(plan)
  out(modulePlanText(plan, labelOf(source), await tokensOf(plan.tools)))
  if (plan.tools.length === 0)
    throw moduleErrors.wrapNothingLeft(
      labelOf(source),
      plan.skipped.map(({ name }) => name),
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
    const { writeRestKit } = await import('../../wrap/http-api/write-kit.js')
    writeRestKit(plan, flags.out, {
      source: known.source,
      options,
      isForced: flags.force === true,
    })
  }
  if (flags.json) return outJson(plan)
  out(restPlanText(plan, labelOf(known.source), await costOf(plan)))
  if (plan.operations.length === 0 && plan.sdl === undefined) {
    const { reasonsOf } = await import('../../wrap/http-api/reasons.js')
    throw kitWriterErrors.wrapTakesNothing(labelOf(known.source), reasonsOf(plan))
  }
  sayWritten(flags.out)
}

/** What is sent to be let in is for now, not for the kit. */
function introspection({ header }: Flags): object {
  return header === undefined ? {} : { introspectionHeaders: targetOptions({ header }).headers }
}

async function planOfApi({ kind, source }: KnownSource, options: object) {
  if (kind === 'graphql') return (await import('../../wrap/graphql/wrap-graphql.js')).planGraphql(source, options)
  if (kind === 'curl') return (await import('../../wrap/curl/wrap-curl.js')).planCurl(source, options)
  return (await import('../../wrap/openapi/wrap-openapi.js')).planOpenApi(source, options)
}

/** What either way costs: a tool each, or a catalogue. */
async function costOf(plan: Awaited<ReturnType<typeof planOfApi>>) {
  const { restPartsOf } = await import('../../wrap/http-api/parts.js')
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
  throw kitErrors.argumentUnreadable(`--credential ${text}`, 'bearer, basic, header:NAME or query:NAME')
}

async function check(known: KnownSource, flags: Flags): Promise<void> {
  const kitFile = flags.out ?? ''
  const label = labelOf(known.source)
  const differences = await differencesIn(known, kitFile, flags)
  if (differences.length === 0) return out(`${kitFile} is up to date with ${label}.`)
  out(differences.join('\n'))
  say(`${label} has changed since ${kitFile} was written.`)
  throw new Failed()
}

async function differencesIn(known: KnownSource, kitFile: string, flags: Flags): Promise<readonly string[]> {
  if (known.kind !== 'module') {
    const { checkRestKit } = await import('../../wrap/http-api/write-kit.js')
    return checkRestKit(kitFile, (options) =>
      planOfApi(known, { ...besideKit(options, kitFile), ...introspection(flags) }),
    )
  }
  const { checkKit } = await import('../../wrap/module/write-kit.js')
  return (await checkKit(known.source, kitFile)).differences
}

/** Files that a kit names are beside it. */
function besideKit(options: Readonly<Record<string, unknown>>, kitFile: string): object {
  const { operations } = options
  if (!Array.isArray(operations)) return options
  return { ...options, operations: operations.map((file) => resolve(dirname(resolve(kitFile)), String(file))) }
}

function sayWritten(file: string | undefined): void {
  if (file === undefined) say('\nNothing was written. Write a kit file with --out <name>.kit.ts.')
  else say(`\nWrote ${file}   (try it: jexo show ${file})`)
}

/** A package goes by its name, an address by itself. */
const labelOf = (source: string): string =>
  /^[a-z][a-z\d+.-]+:\/\//i.test(source)
    ? source.replace(/\/\/[^@/]*@/, '//')
    : (/.*[\\/]node_modules[\\/]((?:@[^\\/]+[\\/])?[^\\/]+)/.exec(source)?.[1] ?? shownPath(source))
