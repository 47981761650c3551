import { keyText, lineComment, literal, textLiteral } from '../../escape/typescript.js'
import { kitWriterErrors } from './errors.js'
import { kitNameOf, markIn, movedOn, pathFrom, type WrittenMark, writeMarked } from './written-kit.js'

/** A kit file to be written for a database, a folder or a feed. */
export interface DataKit {
  readonly kind: 'sql' | 'folder' | 'feed'
  /** Absolute path, or an address without user and password. */
  readonly source: string
  /** What stands in the kit: plain values; files by `files`. */
  readonly options: Readonly<Record<string, unknown>>
  /** Options that hold files, absolute. */
  readonly files?: Readonly<Record<string, readonly string[]>>
  readonly about: string
  readonly settings: readonly string[]
  /** Fingerprints of what is taken, by name. */
  readonly taken: WrittenMark['tools']
}

const functions = { sql: 'wrapSql', folder: 'wrapFolder', feed: 'wrapFeed' } as const

/** Writes a kit file that wraps a source of data. Throws a `JexoError` if that would lose what somebody has written. */
export function writeDataKit(outFile: string, kit: DataKit, isForced: boolean): void {
  if (Object.keys(kit.taken).length === 0) throw kitWriterErrors.wrapTakesNothing(kit.source, '')
  const mark: WrittenMark = {
    kind: kit.kind,
    source: isAddress(kit.source) ? kit.source : pathFrom(outFile, kit.source),
    options: {
      ...kit.options,
      ...Object.fromEntries(
        Object.entries(kit.files ?? {}).map(([name, files]) => [
          name,
          files.map((file) => pathFrom(outFile, file)),
        ]),
      ),
    },
    tools: kit.taken,
  }
  writeMarked(outFile, kitText(outFile, kit), mark, isForced)
}

/** What has changed since a kit was written: lines with `+`, `-` and `~`. */
export function checkDataKit(outFile: string, taken: WrittenMark['tools']): readonly string[] {
  return movedOn(markIn(outFile).tools, taken).map(
    ({ tool, how }) => `${{ new: '+', gone: '-', changed: '~' }[how]} ${tool}`,
  )
}

const isAddress = (source: string) => /^[a-z][a-z\d+.-]+:\/\//i.test(source)

function kitText(outFile: string, { kind, source, options, files = {}, about, settings }: DataKit): string {
  const urlOf = (file: string) => `new URL(${textLiteral(pathFrom(outFile, file))}, import.meta.url)`
  // A folder is one by its slash.
  const place = isAddress(source) ? textLiteral(source) : urlOf(kind === 'folder' ? `${source}/` : source)
  const lines = [
    ...Object.entries(options).map(
      ([name, value]) => `  ${keyText(name)}: ${literal(value, 2, name.length + 2)},\n`,
    ),
    ...Object.entries(files).map(([name, paths]) => `  ${keyText(name)}: [${paths.map(urlOf).join(', ')}],\n`),
  ]
  const given = lines.length > 0 ? `, {\n${lines.join('')}}` : ''
  return [
    `import { defineKit } from 'jexo'\n`,
    `import { ${functions[kind]} } from 'jexo/${kind}'\n\n`,
    settings.length > 0 ? `${lineComment(`Settings, from the environment: ${settings.join(', ')}`)}\n` : '',
    `const parts = await ${functions[kind]}(${place}${given})\n\n`,
    'export default defineKit({\n',
    `  name: ${textLiteral(kitNameOf(outFile))},\n`,
    `  version: '1.0.0',\n`,
    `  about: ${textLiteral(about)},\n`,
    '  parts,\n',
    '})\n',
  ].join('')
}
