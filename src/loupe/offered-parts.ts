import { dirname } from 'node:path'
import { costsOf } from '../context-cost/context-cost.js'
import { messageOf } from '../errors.js'
import { type Catalogue, readCatalogue } from '../link/catalogue.js'
import type { Link } from '../link/link.js'
import type { Target } from '../target/target.js'
import { byPart, type PartFinding } from '../vet/by-part.js'
import { readChoices } from '../vet/configuration.js'
import { ruleIds } from '../vet/rules.js'
import { vet } from '../vet/vet.js'
import { goneOf, marksBetween, marksText } from './catalogue-marks.js'
import type { CatalogueView } from './view.js'

/** How long changes of the catalogue are collected before it is read. */
const gatherMs = 30

const nothingOffered: Catalogue = { tools: [], resources: [], templates: [], prompts: [] }

export interface OfferedPartsHandlers {
  changed(): void
  /** Reports a change to the person. */
  tell(text: string): void
  /** The lists cannot be read. */
  failed(problem: string): void
}

/** The parts that a target offers, with their context costs and findings, and what changed since the last connection. */
export class OfferedParts {
  readonly #target: Target
  readonly #handlers: OfferedPartsHandlers
  catalogue = nothingOffered
  version = 0
  #costs: Record<string, number> = {}
  #findings: Record<string, PartFinding[]> = {}
  /** The parts at the previous connection. */
  #baseline: Catalogue | undefined
  #rereading: NodeJS.Timeout | undefined

  constructor(target: Target, handlers: OfferedPartsHandlers) {
    this.#target = target
    this.#handlers = handlers
  }

  get view(): CatalogueView {
    const marks = this.#baseline ? marksBetween(this.#baseline, this.catalogue) : {}
    return {
      ...this.catalogue,
      version: this.version,
      costs: this.#costs,
      findings: this.#findings,
      marks,
      gone: goneOf(this.#baseline ?? nothingOffered, marks),
    }
  }

  keepAsBaseline(): void {
    this.#baseline = this.catalogue
  }

  close(): void {
    clearTimeout(this.#rereading)
  }

  /** Servers announce each list separately; announcements in a short time cause one read. */
  announced(link: Link): void {
    clearTimeout(this.#rereading)
    this.#rereading = setTimeout(() => void this.read(link), gatherMs)
  }

  async read(link: Link): Promise<void> {
    try {
      const before = this.version > 0 ? this.catalogue : undefined
      this.catalogue = await readCatalogue(link)
      this.#baseline ??= this.catalogue
      const marks = before ? marksBetween(before, this.catalogue) : {}
      if (Object.keys(marks).length > 0) this.#handlers.tell(`the catalogue changed: ${marksText(marks)}`)
      this.version++
      this.#handlers.changed()
      this.#costs = await costsOf(this.catalogue.tools)
      this.#findings = await this.#vetted(link)
      this.version++
      this.#handlers.changed()
    } catch (error) {
      this.#handlers.failed(`its lists cannot be read: ${messageOf(error)}`)
    }
  }

  async #vetted(link: Link): Promise<Record<string, PartFinding[]>> {
    const { name, version } = link.serverInfo
    const { instructions } = link
    // Rules that the project has disabled are disabled here too; errors in its settings are reported by `jexo vet`.
    const choices =
      this.#target.kind === 'kit' ? await readChoices(dirname(this.#target.file), ruleIds).catch(() => []) : []
    const snapshot = { ...this.catalogue, name, version, instructions, costs: this.#costs }
    const { findings } = await vet(snapshot, choices)
    return byPart(findings.filter(({ severity }) => severity !== 'note'))
  }
}
