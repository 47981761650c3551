import { textLiteral } from '../../escape/typescript.js'
import { type WrittenMark, writeMarked } from './written-kit.js'

/** Imports of a kit file from one module. */
export interface KitImport {
  readonly from: string
  readonly names?: readonly string[]
  readonly namespace?: string
  /** A comment line before it. */
  readonly remark?: string
}
/** The section of a kit file for one source. */
export interface KitSection {
  readonly imports: readonly KitImport[]
  /** Statements. */
  readonly body: string
  /** Elements of the list of parts. */
  readonly parts: readonly string[]
  readonly about?: string
}
/** A source as written into a kit file. */
export interface KitEntry {
  section(outFile: string, names: Names): KitSection
  mark(outFile: string): WrittenMark
}

/** Variable names that are in use in a kit file. */
export class Names {
  readonly #taken: Set<string>

  constructor(taken: Iterable<string> = []) {
    this.#taken = new Set(taken)
  }

  has(name: string): boolean {
    return this.#taken.has(name)
  }

  /** Returns the name, with a number if it is in use, and marks it as used. */
  take(wanted: string): string {
    let name = wanted
    for (let count = 2; this.#taken.has(name); count++) name = `${wanted}${count}`
    this.#taken.add(name)
    return name
  }
}

/** Writes a kit file for one or several sources. Throws a `JexoError` if that would overwrite edits. */
export function writeKitFile(outFile: string, name: string, entries: readonly KitEntry[], isForced: boolean): void {
  const names = new Names(['defineKit'])
  const sections = entries.map((entry) => entry.section(outFile, names))
  writeMarked(
    outFile,
    kitFileText(name, sections),
    entries.map((entry) => entry.mark(outFile)),
    isForced,
  )
}

function kitFileText(name: string, sections: readonly KitSection[]): string {
  const imports = [{ from: 'jexo', names: ['defineKit'] }, ...sections.flatMap((section) => section.imports)]
  const abouts = sections.flatMap(({ about }) => about ?? [])
  return [
    ...mergedImports(imports).map((one) => `${importText(one)}\n`),
    '\n',
    sections.map(({ body }) => body).join('\n\n'),
    '\n\nexport default defineKit({\n',
    `  name: ${textLiteral(name)},\n`,
    `  version: '1.0.0',\n`,
    abouts.length === 0 ? '' : `  about: ${textLiteral(abouts.join(' '))},\n`,
    `  ${partsText(sections.flatMap(({ parts }) => parts))},\n`,
    '})\n',
  ].join('')
}

function partsText(parts: readonly string[]): string {
  const [first = ''] = parts
  if (parts.length === 1 && first.startsWith('...')) {
    const value = first.slice(3)
    return value === 'parts' ? value : `parts: ${value}`
  }
  const flat = `parts: [${parts.join(', ')}]`
  return parts.length > 4 ? `parts: [\n${parts.map((part) => `    ${part},\n`).join('')}  ]` : flat
}

/** One import for each module, in order of appearance; those of the library first. */
function mergedImports(imports: readonly KitImport[]): KitImport[] {
  const merged = new Map<string, KitImport>()
  const apart: KitImport[] = []
  for (const one of imports) {
    if (one.namespace !== undefined) apart.push(one)
    else {
      const before = merged.get(one.from)
      merged.set(one.from, { ...one, names: [...new Set([...(before?.names ?? []), ...(one.names ?? [])])] })
    }
  }
  return [...merged.values(), ...apart]
}

/** One import statement. */
export function importText({ from, names = [], namespace, remark }: KitImport): string {
  const what = namespace === undefined ? `{ ${[...names].sort(byLetters).join(', ')} }` : `* as ${namespace}`
  return `${remark === undefined ? '' : `${remark}\n`}import ${what} from ${textLiteral(from)}`
}

export const byLetters = (a: string, b: string): number =>
  a.toLowerCase() < b.toLowerCase() ? -1 : a.toLowerCase() > b.toLowerCase() ? 1 : 0
