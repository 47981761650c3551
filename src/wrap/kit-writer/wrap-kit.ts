import { keyText, lineComment, literal, textLiteral } from '../../escape/typescript.js'
import { kitWriterErrors } from './errors.js'
import { type KitEntry, type KitSection, writeKitFile } from './kit-section.js'
import { kitNameOf, pathFrom, type WrittenMark } from './written-kit.js'

/** A kit file that consists of one call of a wrap. */
export interface WrapKit {
  readonly kind: keyof typeof functions
  /** Absolute path, or an address without user and password. */
  readonly source: string
  /** The TypeScript expression for the source in the kit, if it is not its path. */
  readonly sourceText?: string | ((outFile: string) => string)
  /** Options as given: plain values. */
  readonly options: Readonly<Record<string, unknown>>
  /** Options with files, as absolute paths. */
  readonly files?: Readonly<Record<string, readonly string[]>>
  /** Lines of the call's options, if they are not those of `options`. */
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

/** Writes the kit file. Throws a `JexoError` if the kit would be empty, or an edited file would be overwritten. */
export function writeWrapKit(outFile: string, kit: WrapKit, isForced: boolean): void {
  if (Object.keys(kit.tools).length === 0) throw kitWriterErrors.wrapTakesNothing(kit.source, '')
  writeKitFile(outFile, kitNameOf(outFile), [wrapKitEntry(kit)], isForced)
}

/** The call of a wrap as a part of a kit file; `variable` is the name for its parts. */
export const wrapKitEntry = (kit: WrapKit, variable = 'parts'): KitEntry => ({
  section: (outFile, names) => sectionOf(outFile, kit, names.take(variable)),
  mark: (outFile) => {
    const { kind, source, options, files = {}, tools } = kit
    return {
      kind,
      source: isAddress(source) ? source : pathFrom(outFile, source),
      options: { ...options, ...mapValues(files, (paths) => paths.map((file) => pathFrom(outFile, file))) },
      tools,
    }
  },
})

/** A line of an options object: `  name: value,`. */
export const optionLine = (name: string, value: unknown): string =>
  `  ${keyText(name)}: ${literal(value, 2, name.length + 2)},\n`

const isAddress = (source: string) => /^([a-z][a-z\d+.-]+:\/\/|(exec|process):|.*#[^/\\]+$)/i.test(source)

function sectionOf(outFile: string, kit: WrapKit, variable: string): KitSection {
  const { kind, source, options, files = {}, about, settings } = kit
  const urlOf = (file: string) => `new URL(${textLiteral(urlPath(pathFrom(outFile, file)))}, import.meta.url)`
  const { sourceText = isAddress(source) ? textLiteral(source) : urlOf(source) } = kit
  const place = typeof sourceText === 'string' ? sourceText : sourceText(outFile)
  const lines = [
    ...(kit.optionLines ?? Object.entries(options).map(([name, value]) => optionLine(name, value))),
    ...Object.entries(files).map(([name, paths]) => `  ${keyText(name)}: [${paths.map(urlOf).join(', ')}],\n`),
  ]
  const argument = lines.length > 0 ? `, {\n${lines.join('')}}` : ''
  const remark =
    settings.length > 0 ? `${lineComment(`Settings, from the environment: ${settings.join(', ')}`)}\n` : ''
  return {
    imports: [{ from: `jexo/${kind}`, names: [functions[kind]] }],
    body: `${remark}const ${variable} = await ${functions[kind]}(${place}${argument})`,
    parts: [`...${variable}`],
    about,
  }
}

/** A path as a relative URL. */
const urlPath = (path: string) => encodeURI(path).replace(/[?#]/g, encodeURIComponent)

const mapValues = <T, R>(record: Readonly<Record<string, T>>, change: (value: T) => R): Record<string, R> =>
  Object.fromEntries(Object.entries(record).map(([name, value]) => [name, change(value)]))
