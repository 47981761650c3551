import { randomInt } from 'node:crypto'
import { writeFile } from 'node:fs/promises'
import { Command } from 'commander'
import { kitErrors } from '../../kit/errors.js'
import { shownPath } from '../../kit-file/kit-file.js'
import { targetErrors } from '../../target/errors.js'
import { labelOf, readTarget } from '../../target/target.js'
import { toContract } from '../../vet/contract.js'
import { type Finding, groups } from '../../vet/finding.js'
import { probeRules } from '../../vet/probe/verdict.js'
import { rules } from '../../vet/rules.js'
import { toSarif } from '../../vet/sarif.js'
import { contractFileOf, type TargetReport, vetTarget } from '../../vet/vet-target.js'
import { readMs, type TargetFlags, targetOptions, withReach } from '../options/target-options.js'
import { colours, columns, Failed, out, outJson, say, whileWaiting, wrapped } from '../terminal/output.js'
import { verbTexts } from '../text/verb-texts.js'

interface Flags extends TargetFlags {
  strict?: boolean
  wire?: boolean
  probe?: string
  seed?: string
  save?: string | true
  contract?: string
  cases?: string
  json?: boolean
  sarif?: string
  rules?: boolean
  checkTimeout?: string
}

export const vetCommand = () =>
  withReach(
    new Command('vet')
      .description(verbTexts.vet.about)
      .argument('[target]', 'kit file, URL, exec:<command line>, or <config file>#<entry>')
      .option('--strict', 'exit with 1 on warnings too; default: only on errors')
      .option('--wire', 'also check the server against the standard')
      .option(
        '--probe <calls>',
        'call each read-only tool this many times with generated arguments, valid and invalid',
      )
      .option('--seed <number>', 'seed of --probe; the same seed makes the same calls')
      .option('--save [file]', 'save the current definitions as the contract; later changes are findings')
      .option('--contract <file>', 'contract file; default: <name>.contract.json beside the kit')
      .option('--cases <folder>', 'folder of cases, whose results are measured; default: cases/ beside the kit')
      .option('--json', 'print the report as JSON')
      .option('--sarif <file>', 'also write the report as SARIF')
      .option('--rules', 'list every rule'),
  )
    .option('--timeout <ms>', 'time limit of a request, in milliseconds')
    .option(
      '--check-timeout <ms>',
      'time limit of a --wire check (default: 2000 ms) or a --probe call (default: 5000 ms)',
    )
    .option('--revision <date>', 'protocol revision for --wire')
    .addHelpText(
      'after',
      '\nExample: jexo vet apiary.kit.ts --strict\n         jexo vet https://hives.example/mcp --wire --sarif vet.sarif',
    )
    .action(async (text: string | undefined, flags: Flags) => {
      if (flags.rules) return flags.json ? outJson(rules.map(({ check: _, ...rule }) => rule)) : listRules()
      if (text === undefined)
        throw kitErrors.argumentUnreadable('the target', 'a kit file, a URL, a command or an entry')
      const target = await readTarget(text, targetOptions(flags))
      if (target.kind === 'tape') throw targetErrors.tapeAsTarget(shownPath(target.file))
      let doing = `checking ${labelOf(target)}`
      const report = await whileWaiting(
        () => doing,
        () =>
          vetTarget(target, {
            contract: flags.contract,
            ignoresContract: flags.save !== undefined,
            cases: flags.cases,
            wire: flags.wire ? { revision: flags.revision } : undefined,
            probe:
              flags.probe === undefined
                ? undefined
                : {
                    calls: readCount('--probe', flags.probe),
                    seed: flags.seed === undefined ? randomInt(2 ** 31) : readCount('--seed', flags.seed),
                  },
            timeoutMs: flags.timeout === undefined ? undefined : readMs(flags.timeout),
            checkTimeoutMs: flags.checkTimeout === undefined ? undefined : readMs(flags.checkTimeout),
            onProgress: (what, done, all) => {
              doing = `${what} ${done + 1} of ${all}`
            },
          }),
      )
      if (flags.save !== undefined) {
        const file = flags.contract ?? (flags.save === true ? contractFileOf(target) : flags.save)
        await writeFile(file, `${JSON.stringify(toContract(report.snapshot), null, 2)}\n`)
        say(`saved the contract as ${shownPath(file)}`)
      }
      if (flags.sarif !== undefined) {
        const artefact = target.kind === 'kit' ? shownPath(target.file) : labelOf(target)
        await writeFile(flags.sarif, `${JSON.stringify(toSarif(report.findings, artefact), null, 2)}\n`)
      }
      const { snapshot: _, ...shown } = report
      if (flags.json) outJson(shown)
      else print(report)
      const isGrave = ({ severity }: Finding) =>
        severity === 'error' || (flags.strict === true && severity === 'warning')
      if (report.findings.some(isGrave)) throw new Failed()
    })

function readCount(option: string, text: string): number {
  const count = Number(text)
  if (!Number.isSafeInteger(count) || count < 1)
    throw kitErrors.argumentUnreadable(`${option} ${text}`, 'a whole number from 1 up')
  return count
}

const paint = { error: colours.red, warning: colours.yellow, note: colours.dim } as const

function print({ findings, asked, off, wire, probe: probed }: TargetReport): void {
  for (const { rule, severity, places, problem: what, fix } of together(findings)) {
    const [first, ...others] = wrapped(placesText(places), columns() - 9)
    out(`${paint[severity](severity.padEnd(8))} ${colours.bold(first ?? '')}  ${colours.dim(rule)}`)
    for (const line of others) out(`         ${colours.bold(line)}`)
    for (const line of wrapped(what, columns() - 9)) out(`         ${line}`)
    for (const line of wrapped(`→ ${fix}`, columns() - 9)) out(`         ${colours.dim(line)}`)
  }
  if (wire) {
    out(`The standard, revision ${wire.revision}:`)
    const width = Math.max(...wire.sections.map(({ section }) => section.length))
    for (const { section, met, broken, left } of wire.sections)
      out(
        `  ${section.padEnd(width)} ${String(met).padStart(3)} passed${broken > 0 ? colours.red(`, ${broken} failed`) : ''}${colours.dim(left > 0 ? `, ${left} not applicable` : '')}`,
      )
  }
  if (probed) {
    const left = probed.left > 0 ? `; skipped ${probed.left} that may change data` : ''
    const tools = probed.tools === 1 ? '1 tool' : `${probed.tools} tools`
    say(colours.dim(`probed ${tools} by ${probed.calls} calls, seed ${probed.seed}${left}`))
  }
  for (const { rule, reason } of off) say(colours.dim(`off: ${rule} (${reason})`))
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
  say(found.length === 0 ? colours.green(`no findings (${asked} rules)`) : `${found.join(', ')} (${asked} rules)`)
}

/** The same finding in several places is printed once. */
function together(findings: readonly Finding[]): (Finding & { places: string[] })[] {
  const groups = new Map<string, Finding & { places: string[] }>()
  for (const finding of findings) {
    const key = JSON.stringify([finding.rule, finding.severity, finding.problem, finding.fix])
    const group = groups.get(key) ?? { ...finding, places: [] }
    group.places.push(finding.location)
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
  for (const group of groups.filter((group) => group !== 'probe')) {
    out(colours.bold(group))
    for (const { id, severity, about } of rules.filter((rule) => rule.group === group))
      out(`  ${id.padEnd(24)} ${paint[severity](severity.padEnd(8))} ${about}`)
  }
  out(colours.bold('wire, by --wire'))
  out('  wire-…                   error    Every row of the table of the standard.')
  out(colours.bold('probe, by --probe'))
  for (const { id, severity, about } of probeRules)
    out(`  ${id.padEnd(24)} ${paint[severity](severity.padEnd(8))} ${about}`)
}
