import { availableParallelism } from 'node:os'
import pLimit from 'p-limit'
import { type Catalogue, readCatalogue } from '../link/catalogue.js'
import type { CaseReport } from './case.js'
import { type Coverage, coverageOf } from './coverage.js'
import { findCases } from './find-cases.js'
import { type ReplayOptions, runCase } from './run-case.js'

export interface CasesReport {
  readonly reports: readonly CaseReport[]
  /** Coverage of the cases; undefined if they ran against several servers, or the server cannot list its parts. */
  readonly coverage?: Coverage
}

/** Runs case files, and those in folders, several at a time. Rejects with a `JexoError` if a file or folder is missing. */
export async function runCases(paths: readonly string[], options: ReplayOptions = {}): Promise<CasesReport> {
  const limit = pLimit(availableParallelism())
  const files = await findCases(paths)
  const catalogues = new Map<string, Promise<Catalogue | undefined>>()
  const onOpen: ReplayOptions['onOpen'] = async (link) => {
    const { name } = link.serverInfo
    const catalogue = catalogues.get(name) ?? readCatalogue(link).catch(() => undefined)
    catalogues.set(name, catalogue)
    await catalogue
  }
  const reports = await Promise.all(files.map((file) => limit(() => runCase(file, { ...options, onOpen }))))
  const [catalogue] = await Promise.all(catalogues.values())
  if (catalogue === undefined || catalogues.size > 1) return { reports }
  const steps = reports.flatMap((report) => report.steps)
  return { reports, coverage: coverageOf(catalogue, steps) }
}
