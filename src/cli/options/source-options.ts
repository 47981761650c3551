import { resolve } from 'node:path'
import type { Command } from 'commander'
import { namesIn } from '../../kit/choose.js'
import { kitErrors } from '../../kit/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { type KnownSource, wrapKinds } from '../../wrap/detect/source-kind.js'
import type { ReadingOptions, SourceOptions } from '../../wrap/preview/preview.js'
import { processAt } from './process-at.js'
import { serverAt } from './server-at.js'
import { gather, readMs, targetOptions } from './target-options.js'

/** Flags for reading and planning a source. */
export interface SourceFlags {
  kind?: string
  only?: string
  except?: string
  prefix?: string
  writes?: boolean
  catalogue?: boolean
  templates?: string
  baseUrl?: string
  settingPrefix?: string
  credential?: string
  allowRef?: string
  credentialOrigin?: string
  keepValues?: boolean
  operations?: string
  adHoc?: boolean
  queries?: string
  tables?: boolean
  name?: string
  hidden?: boolean
  search?: boolean
  listen?: string
  methods?: string
  uriPrefix?: string
  header?: string[]
}

/** Accepted sources. */
export const sourceText =
  'functions (.ts, .js, a package), an OpenAPI description (file or URL), a GraphQL schema, curl commands (.md, .sh, .http, .har), a database (.sqlite, postgres://, mysql://), a folder, a feed (mqtt://, opc.tcp://, wss+json://, webhook://, .ndjson), a program (command:<program>, .commands.yaml, process:<command line>), or a server (URL, exec:<command line>, <host config file>#<entry>)'

/** Declares the options of a source. */
export const withSourceOptions = (command: Command): Command =>
  command
    .option('--kind <kind>', `type of the source, if it cannot be inferred: ${wrapKinds.join(', ')}`)
    .option(
      '--only <tools>',
      'include only these: names, globs or tag:…, separated by commas; for an API also paths',
    )
    .option('--except <tools>', 'exclude these')
    .option('--prefix <text>', 'prefix of every name')
    .option('--writes', 'API: include operations that write; default: only reads, and writes named by --only')
    .option('--catalogue', 'API or functions: three tools (search, explain, call) instead of one each')
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
    .option('--listen <ms>', 'feed: how long to listen for messages, in milliseconds; default: 3000')
    .option('--methods <names>', 'OPC UA: methods to include as tools, separated by commas')
    .option('--uri-prefix <text>', 'server: prefix of the scheme of every URI')
    .option('--header <name: value>', 'GraphQL or server: header to send while reading (repeatable)', gather)

/** The options of a wrap: those flags of the command that apply to this kind of source. */
export function optionsFor({ kind }: KnownSource, flags: SourceFlags): SourceOptions {
  const all: Record<string, unknown> = {
    only: namesOf(flags.only),
    except: namesOf(flags.except),
    prefix: flags.prefix,
    writes: flags.writes,
    catalogue: flags.catalogue,
    templates: namesOf(flags.templates),
    baseUrl: flags.baseUrl,
    settingPrefix: flags.settingPrefix,
    credential: flags.credential === undefined ? undefined : credentialOf(flags.credential),
    operations: namesOf(flags.operations)?.map((file) => resolve(file)),
    queries: namesOf(flags.queries)?.map((file) => resolve(file)),
    adHoc: flags.adHoc,
    allowReferences: namesOf(flags.allowRef)?.map((place) =>
      /^(https?|file):/.test(place) ? place : resolve(place),
    ),
    credentialOrigins: namesOf(flags.credentialOrigin),
    keepValues: flags.keepValues,
    uriPrefix: flags.uriPrefix,
    name: flags.name,
    methods: namesOf(flags.methods),
    hidden: flags.hidden,
    // Both are true by default.
    tables: flags.tables === false ? false : undefined,
    search: flags.search === false ? false : undefined,
  }
  return Object.fromEntries(
    optionNames[kind].flatMap((name) => (all[name] === undefined ? [] : [[name, all[name]]])),
  )
}

const apiOptions = [
  'only',
  'except',
  'prefix',
  'writes',
  'catalogue',
  'templates',
  'baseUrl',
  'settingPrefix',
  'credential',
  'credentialOrigins',
]
const optionNames: Readonly<Record<KnownSource['kind'], readonly string[]>> = {
  module: ['only', 'except', 'prefix', 'catalogue'],
  openapi: [...apiOptions, 'allowReferences'],
  curl: [...apiOptions, 'keepValues'],
  graphql: [...apiOptions, 'operations', 'adHoc'],
  sql: ['name', 'settingPrefix', 'only', 'except', 'prefix', 'tables', 'adHoc', 'queries'],
  folder: ['name', 'prefix', 'only', 'except', 'hidden', 'search'],
  feed: ['name', 'settingPrefix', 'prefix', 'methods'],
  server: ['only', 'except', 'prefix', 'catalogue', 'uriPrefix'],
  command: ['only', 'except', 'prefix'],
  process: ['only', 'except', 'prefix'],
}

const namesOf = (text: string | undefined) => (text === undefined ? undefined : namesIn(text))

/** Used only while reading, and never written into a kit. */
export async function readingOptions(
  { kind, source }: KnownSource,
  { header, listen }: SourceFlags,
): Promise<ReadingOptions> {
  const { headers } = header === undefined ? {} : targetOptions({ header })
  if (kind === 'process') return { process: processAt(source) }
  if (kind === 'server') return { server: await serverAt(source, headers ? { headers } : {}) }
  return {
    ...(headers === undefined ? {} : { introspectionHeaders: headers }),
    ...(listen === undefined ? {} : { listenMs: readMs(listen) }),
  }
}

function credentialOf(text: string): object {
  const [kind = '', parameter = ''] = text.split(/:(.*)/s)
  if (kind === 'bearer' || kind === 'basic') return { kind }
  if ((kind === 'header' || kind === 'query') && parameter !== '') return { kind: 'apiKey', in: kind, parameter }
  throw kitErrors.argumentUnreadable(`--credential ${text}`, 'bearer, basic, header:NAME or query:NAME')
}

/** The label of a source: the name of a package, or its address. */
export const labelOf = (source: string): string =>
  /^(exec|command|process):/.test(source) || /^[a-z][a-z\d+.-]+:\/\//i.test(source)
    ? source.replace(/\/\/[^@/]*@/, '//')
    : (/.*[\\/]node_modules[\\/]((?:@[^\\/]+[\\/])?[^\\/]+)/.exec(source)?.[1] ?? shownPath(source))
