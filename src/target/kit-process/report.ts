import { type ErrorCode, isJexoError, JexoError, messageOf } from '../../errors.js'
import { isObject } from '../../protocol/messages.js'

/** The descriptor on which a kit process reports its loading. */
export const reportDescriptor = 3

/** The outcome of loading a kit: it runs, or the reason why not. */
export type LoadReport = { isReady: true } | { failed: FailedLoad }

interface FailedLoad {
  code: string
  problem: string
  fix: string
  location?: string
  /** Packages that have to be installed first. */
  packages?: readonly string[]
  /** Stacks, for `--verbose`. */
  stack?: string
}

export function failureOf(error: unknown): LoadReport {
  const stack = error instanceof Error ? stackOf(error) : undefined
  const known = isJexoError(error)
    ? { code: error.code, problem: error.problem, fix: error.fix, location: error.location, ...packagesOf(error) }
    : { code: 'kit-file-broken', problem: messageOf(error), fix: 'fix the file and try again', location: undefined }
  const { location, ...rest } = known
  return { failed: { ...rest, ...(location === undefined ? {} : { location }), ...(stack ? { stack } : {}) } }
}

function packagesOf({ data }: JexoError): Pick<FailedLoad, 'packages'> {
  return Array.isArray(data?.packages) ? { packages: data.packages.map(String) } : {}
}

/** The error as if the kit had been loaded in this process. */
export function errorOf({ code, problem, fix, location, packages, stack }: FailedLoad): JexoError {
  const cause =
    stack === undefined ? {} : { cause: Object.assign(new Error('in the process of the kit'), { stack }) }
  const data = packages === undefined ? {} : { data: { packages } }
  return new JexoError(code as ErrorCode, problem, fix, location, { ...cause, ...data })
}

/** Undefined for a line that is not a report. */
export function readReport(line: string): LoadReport | undefined {
  try {
    const value: unknown = JSON.parse(line)
    return isObject(value) && ('isReady' in value || 'failed' in value)
      ? (value as unknown as LoadReport)
      : undefined
  } catch {
    return undefined
  }
}

function stackOf(error: Error): string {
  const { stack = error.message, cause } = error
  return cause instanceof Error ? `${stackOf(cause)}` : stack
}
