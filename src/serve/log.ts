import { escapeControls } from '../escape/terminal.js'
import { kitErrors } from '../kit/errors.js'

export const logLevels = ['debug', 'info', 'warning', 'error'] as const
export type LogLevel = (typeof logLevels)[number]
export const logForms = ['text', 'json'] as const
export type LogForm = (typeof logForms)[number]

/** The log of a server: one line per entry on stderr. */
export interface Log {
  readonly form: LogForm
  write(level: LogLevel, text: string, fields?: Readonly<Record<string, unknown>>): void
}

/** Lines for people: `jexo: …`. Fields, which are for programs, are omitted. */
export function textLog(least: LogLevel = 'info'): Log {
  const from = logLevels.indexOf(least)
  return {
    form: 'text',
    write: (level, text) => {
      if (logLevels.indexOf(level) < from) return
      process.stderr.write(`jexo: ${level === 'info' ? '' : `${level}: `}${escapeControls(text)}\n`)
    },
  }
}

/** One JSON object a line, by pino: `level`, `time` (ISO 8601), `msg`, and fields. `base` is part of each entry. */
export async function jsonLog(
  least: LogLevel,
  base: Readonly<Record<string, unknown>>,
  /** Additional fields of an entry, such as the identifiers of a trace. */
  fieldsNow: () => object = () => ({}),
): Promise<Log> {
  const { pino } = await import('pino')
  const names = { debug: 'debug', info: 'info', warning: 'warn', error: 'error' } as const
  const logger = pino(
    {
      level: names[least],
      base: { ...base, pid: process.pid },
      timestamp: pino.stdTimeFunctions.isoTime,
      formatters: { level: (level) => ({ level }) },
      mixin: fieldsNow,
    },
    pino.destination({ dest: 2, sync: true }),
  )
  return { form: 'json', write: (level, text, fields = {}) => logger[names[level]](fields, text) }
}

/** Parses a format and a level. Throws a `JexoError` that lists the valid values. */
export function readLogChoice(form = 'text', level = 'info'): { form: LogForm; level: LogLevel } {
  const wanted = level === 'warn' ? 'warning' : level
  const foundForm = logForms.find((known) => known === form)
  const foundLevel = logLevels.find((known) => known === wanted)
  if (!foundForm) throw kitErrors.argumentUnreadable(`the log form ${JSON.stringify(form)}`, logForms.join(' or '))
  if (!foundLevel)
    throw kitErrors.argumentUnreadable(`the log level ${JSON.stringify(level)}`, logLevels.join(', '))
  return { form: foundForm, level: foundLevel }
}
