import { keyText, lineComment, literal, textLiteral } from '../../escape/typescript.js'
import { kitWriterErrors } from './errors.js'
import { kitNameOf, pathFrom, type WrittenMark, writeMarked } from './written-kit.js'

/** A kit file that consists of one call of a wrap. */
export interface WrapKit {
  readonly kind: keyof typeof functions
  /** Absolute path, or an address without user and password. */
  readonly source: string
  /** How the kit names the source, if not by its path: an expression of TypeScript. */
  readonly sourceText?: string | ((outFile: string) => string)
  /** Options as they were given: plain values. */
  readonly options: Readonly<Record<string, unknown>>
  /** Options that hold files, absolute. */
  readonly files?: Readonly<Record<string, readonly string[]>>
  /** Lines of the call's options, if they are not simply those of `options`. */
  readonly optionLines?: readonly string[]
  readonly about: string
  /** Names of the settings that the kit reads. */
  readonly settings: readonly string[]
  /** Fingerprints of what is included, by name. */
  readonly tools: WrittenMark['tools']
}

const functions = {
  module: 'wrapModule',
  openapi: 'wrapOpenApi',
  curl: 'wrapCurl',
  graphql: 'wrapGraphql',
  sql: 'wrapSql',
  folder: 'wrapFolder',
  feed: 'wrapFeed',
  server: 'wrapServer',
  command: 'wrapCommand',
  process: 'wrapProcess',
} as const

/** Writes the kit file. Throws a `JexoError` if the kit would be empty, or a file that somebody has written would be lost. */
export function writeWrapKit(outFile: string, kit: WrapKit, isForced: boolean): void {
  const { kind, source, options, files = {}, tools } = kit
  if (Object.keys(tools).length === 0) throw kitWriterErrors.wrapTakesNothing(source, '')
  const mark: WrittenMark = {
    kind,
    source: isAddress(source) ? source : pathFrom(outFile, source),
    options: { ...options, ...mapValues(files, (paths) => paths.map((file) => pathFrom(outFile, file))) },
    tools,
  }
  writeMarked(outFile, kitText(outFile, kit), mark, isForced)
}

/** A line of an options object: `  name: value,`. */
export const optionLine = (name: string, value: unknown): string =>
  `  ${keyText(name)}: ${literal(value, 2, name.length + 2)},\n`

const isAddress = (source: string) => /^([a-z][a-z\d+.-]+:\/\/|(exec|process):|.*#[^/\\]+$)/i.test(source)

function kitText(outFile: string, kit: WrapKit): string {
  const { kind, source, options, files = {}, about, settings } = kit
  const urlOf = (file: string) => `new URL(${textLiteral(urlPath(pathFrom(outFile, file)))}, import.meta.url)`
  const { sourceText = isAddress(source) ? textLiteral(source) : urlOf(source) } = kit
  const place = typeof sourceText === 'string' ? sourceText : sourceText(outFile)
  const lines = [
    ...(kit.optionLines ?? Object.entries(options).map(([name, value]) => optionLine(name, value))),
    ...Object.entries(files).map(([name, paths]) => `  ${keyText(name)}: [${paths.map(urlOf).join(', ')}],\n`),
  ]
  const argument = lines.length > 0 ? `, {\n${lines.join('')}}` : ''
  return [
    `import { defineKit } from 'jexo'\n`,
    `import { ${functions[kind]} } from 'jexo/${kind}'\n\n`,
    settings.length > 0 ? `${lineComment(`Settings, from the environment: ${settings.join(', ')}`)}\n` : '',
    `const parts = await ${functions[kind]}(${place}${argument})\n\n`,
    'export default defineKit({\n',
    `  name: ${textLiteral(kitNameOf(outFile))},\n`,
    `  version: '1.0.0',\n`,
    `  about: ${textLiteral(about)},\n`,
    '  parts,\n',
    '})\n',
  ].join('')
}

/** A path as it stands in a relative URL. */
const urlPath = (path: string) => encodeURI(path).replace(/[?#]/g, encodeURIComponent)

const mapValues = <T, R>(record: Readonly<Record<string, T>>, change: (value: T) => R): Record<string, R> =>
  Object.fromEntries(Object.entries(record).map(([name, value]) => [name, change(value)]))
