import { CORE_SCHEMA, loadAll, mergeTag } from 'js-yaml'
import { type Document, LineCounter, parseDocument } from 'yaml'

const maxCharacters = 200_000

/** The same, with errors of the caller: `refuse` receives `line 3, column 5: what is wrong`. */
export function readYamlOr(text: string, refuse: (located: string) => Error): YamlFile {
  try {
    return readYaml(text)
  } catch (error) {
    throw error instanceof YamlFault ? refuse(error.located) : error
  }
}

/** An error in a YAML text, with its position; lines and columns count from 1. */
export class YamlFault extends Error {
  readonly line: number
  readonly column: number

  constructor(reason: string, line = 1, column = 1) {
    super(reason)
    this.line = line
    this.column = column
  }

  /** `line 3, column 5: what is wrong`. */
  get located(): string {
    return `line ${this.line}, column ${this.column}: ${this.message}`
  }
}

export interface YamlFile {
  readonly document: Document
  readonly value: unknown
  /** `line 3, column 5` for an offset in the text. */
  at(offset: number): string
}

/**
 * Parses a YAML or JSON text from a file that people edit. Throws a `YamlFault` for any error, including exceeded
 * limits.
 */
export function readYaml(text: string): YamlFile {
  if (text.length > maxCharacters) throw new YamlFault(`it has more than ${maxCharacters} characters`)
  const lines = new LineCounter()
  checkSyntax(text)
  // Duplicate keys were checked before; here every pair would be compared.
  const options = { lineCounter: lines, prettyErrors: false, uniqueKeys: false, logLevel: 'error' } as const
  const document = guarded(() => parseDocument(text, options))
  const [fault] = document.errors
  if (fault) {
    const { line, col } = lines.linePos(fault.pos[0])
    throw new YamlFault(fault.message.split('\n')[0]?.replace(/:$/, '') ?? 'it is not YAML', line, col)
  }
  const value: unknown = guarded(() => document.toJS({ maxAliasCount: 100 }))
  return {
    document,
    value,
    at: (offset) => {
      const { line, col } = lines.linePos(offset)
      return `line ${line}, column ${col}`
    },
  }
}

/** Stops at the first error; the parser that keeps comments would collect thousands. */
function checkSyntax(text: string): void {
  try {
    loadAll(text, () => {}, { schema: CORE_SCHEMA.withTags(mergeTag) })
  } catch (error) {
    if (error instanceof RangeError) throw new YamlFault('it is nested too deeply')
    const { reason, mark } = error as { reason?: string; mark?: { line: number; column: number } }
    throw new YamlFault(reason ?? String(error), (mark?.line ?? 0) + 1, (mark?.column ?? 0) + 1)
  }
}

/**
 * Errors that the library throws instead of collecting: nesting beyond the stack, aliases without an anchor or with too
 * many uses.
 */
function guarded<T>(run: () => T): T {
  try {
    return run()
  } catch (error) {
    if (error instanceof RangeError) throw new YamlFault('it is nested too deeply')
    throw new YamlFault(error instanceof Error ? (error.message.split('\n')[0] ?? '').slice(0, 200) : String(error))
  }
}
