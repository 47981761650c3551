import { existsSync } from 'node:fs'
import { readFile, writeFile } from 'node:fs/promises'
import { dirname } from 'node:path'
import { Command } from 'commander'
import { problems } from '../errors.js'
import { shownPath } from '../target/kit-file.js'
import { labelOf, readTarget, type Target } from '../target/target.js'
import { readChoices } from '../vet/configuration.js'
import { type Contract, contractOf } from '../vet/contract.js'
import { type Finding, groups } from '../vet/finding.js'
import { surfaceOf } from '../vet/gather.js'
import { ruleIds, rules } from '../vet/rules.js'
import { sarifOf } from '../vet/sarif.js'
import { type VetReport, vet } from '../vet/vet.js'
import { type WireReport, wireFindings } from '../vet/wire-findings.js'
import { colours, columns, errorColours, Failed, out, outJson, say, wrapped } from './output.js'
import { gather, readMs, type TargetFlags, targetOptions } from './target-options.js'

interface Flags extends TargetFlags {
  strict?: boolean
  wire?: boolean
  save?: string | true
  contract?: string
  cases?: string
  json?: boolean
  sarif?: string
  rules?: boolean
  rowTimeout?: string
}

export const vetCommand = () =>
  new Command('vet')
    .description('Looks for what keeps a model or a host from using a server well.')
    .argument('[target]', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
    .option('--strict', 'exit with 1 where there is an error or a warning; without it, only for errors')
    .option('--wire', 'hold it to the table of the standard too, row by row')
    .option('--save [file]', 'save what it offers as its contract; changes are findings from then on')
    .option('--contract <file>', 'the contract; beside a kit, <name>.contract.json unless given')
    .option('--cases <folder>', 'recorded cases, whose results are weighed; cases beside a kit unless given')
    .option('--json', 'the report as JSON')
    .option('--sarif <file>', 'write the report as SARIF too')
    .option('--rules', 'name every rule')
    .option('--header <name: value>', 'send a header with every request (again for more)', gather)
    .option('--env <NAME=value>', 'set a variable for the kit or command (again for more)', gather)
    .option('--cwd <folder>', 'start a command in this folder')
    .option('--timeout <ms>', 'how long a request may stay unanswered, in milliseconds')
    .option('--row-timeout <ms>', 'how long a row of --wire may wait; 2000 unless given')
    .option('--revision <date>', 'revision of the standard for --wire')
    .addHelpText(
      'after',
      '\nExample: jexo vet apiary.kit.ts --strict\n         jexo vet https://hives.example/mcp --wire --sarif vet.sarif',
    )
    .action(async (text: string | undefined, flags: Flags) => {
      if (flags.rules) return flags.json ? outJson(rules.map(({ check: _, ...rule }) => rule)) : listRules()
      if (text === undefined)
        throw problems.argumentUnreadable('the target', 'a kit file, a URL, a command or an entry')
      const target = await readTarget(text, targetOptions(flags))
      if (target.kind === 'tape') throw problems.tapeAsTarget(shownPath(target.file))
      const contractFile = flags.contract ?? (typeof flags.save === 'string' ? flags.save : contractFileOf(target))
      const surface = await surfaceOf(target, {
        contract: await readContract(contractFile, flags.contract !== undefined && flags.save === undefined),
        cases: flags.cases,
        ...(flags.timeout === undefined ? {} : { timeoutMs: readMs(flags.timeout) }),
      })
      if (flags.save !== undefined) {
        await writeFile(contractFile, `${JSON.stringify(contractOf(surface), null, 2)}\n`)
        surface.contract = undefined
        say(`saved what it offers as ${shownPath(contractFile)}`)
      }
      const wire = flags.wire
        ? await wireFindings(
            target,
            surface,
            {
              revision: flags.revision,
              stepMs: flags.rowTimeout === undefined ? undefined : readMs(flags.rowTimeout),
            },
            progress,
          )
        : undefined
      if (wire && process.stderr.isTTY) process.stderr.write('\r\u001b[K')
      const folder = target.kind === 'kit' ? dirname(target.file) : process.cwd()
      const choices = await readChoices(folder, ruleIds)
      const report = await vet(surface, choices, wire?.findings)
      if (flags.sarif !== undefined) {
        const artefact = target.kind === 'kit' ? shownPath(target.file) : labelOf(target)
        await writeFile(flags.sarif, `${JSON.stringify(sarifOf(report.findings, artefact), null, 2)}\n`)
      }
      if (flags.json)
        outJson({ ...report, ...(wire ? { wire: { revision: wire.revision, sections: wire.sections } } : {}) })
      else print(report, wire)
      const isGrave = ({ severity }: Finding) =>
        severity === 'error' || (flags.strict === true && severity === 'warning')
      if (report.findings.some(isGrave)) throw new Failed()
    })

const contractFileOf = (target: Target): string =>
  target.kind === 'kit' ? target.file.replace(/(\.kit)?\.[cm]?[jt]sx?$/, '.contract.json') : 'server.contract.json'

async function readContract(file: string, isWanted: boolean): Promise<Contract | undefined> {
  if (!existsSync(file)) {
    if (isWanted) throw problems.contractUnreadable(file, 'there is no such file')
    return undefined
  }
  try {
    const contract = JSON.parse(await readFile(file, 'utf8')) as Contract
    if (contract.kind !== 'contract' || contract.version !== 1)
      throw new Error('it has no "kind": "contract" and "version": 1')
    return contract
  } catch (error) {
    throw problems.contractUnreadable(file, (error as Error).message)
  }
}

function progress(done: number, all: number): void {
  if (process.stderr.isTTY) process.stderr.write(`\r${errorColours.dim(`the standard: row ${done + 1} of ${all}`)}`)
}

const paint = { error: colours.red, warning: colours.yellow, note: colours.dim } as const

function print({ findings, asked, off }: VetReport, wire: WireReport | undefined): void {
  for (const { rule, severity, places, what, mend } of together(findings)) {
    const [first, ...others] = wrapped(placesText(places), columns() - 9)
    out(`${paint[severity](severity.padEnd(8))} ${colours.bold(first ?? '')}  ${colours.dim(rule)}`)
    for (const line of others) out(`         ${colours.bold(line)}`)
    for (const line of wrapped(what, columns() - 9)) out(`         ${line}`)
    for (const line of wrapped(`→ ${mend}`, columns() - 9)) out(`         ${colours.dim(line)}`)
  }
  if (wire) {
    out(`The standard, revision ${wire.revision}:`)
    for (const { section, met, broken, left } of wire.sections)
      out(
        `  §${section.padEnd(4)} ${String(met).padStart(3)} hold${broken > 0 ? colours.red(`, ${broken} do not`) : ''}${colours.dim(left > 0 ? `, ${left} not for this server` : '')}`,
      )
  }
  for (const { rule, because } of off) say(colours.dim(`off: ${rule}, because ${because}`))
  const count = (severity: Finding['severity']) =>
    findings.filter((finding) => finding.severity === severity).length
  const parts = [
    ['error', count('error')],
    ['warning', count('warning')],
    ['note', count('note')],
  ] as const
  const found = parts
    .filter(([, number]) => number > 0)
    .map(([name, number]) => `${number} ${name}${number === 1 ? '' : 's'}`)
  say(
    found.length === 0
      ? colours.green(`nothing found by ${asked} rules`)
      : `${found.join(', ')}, by ${asked} rules`,
  )
}

/** The same thing in several places is said once. */
function together(findings: readonly Finding[]): (Finding & { places: string[] })[] {
  const groups = new Map<string, Finding & { places: string[] }>()
  for (const finding of findings) {
    const key = JSON.stringify([finding.rule, finding.severity, finding.what, finding.mend])
    const group = groups.get(key) ?? { ...finding, places: [] }
    group.places.push(finding.where)
    groups.set(key, group)
  }
  return [...groups.values()]
}

function placesText(places: readonly string[]): string {
  const shown = places.slice(0, mostPlaces).join('; ')
  return places.length > mostPlaces ? `${shown}; and ${places.length - mostPlaces} more` : shown
}
const mostPlaces = 6

function listRules(): void {
  for (const group of groups) {
    out(colours.bold(group))
    for (const { id, severity, about } of rules.filter((rule) => rule.group === group))
      out(`  ${id.padEnd(24)} ${paint[severity](severity.padEnd(8))} ${about}`)
  }
  out(colours.bold('wire, by --wire'))
  out('  wire-…                   error    Every row of the table of the standard.')
}
