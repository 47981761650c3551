import { isJexoError, JexoError } from '../errors.js'

export const storeErrors = {
  unavailable: (label: string, reason: string) =>
    new JexoError(
      'store-unavailable',
      `the store ${label} cannot be used now: ${reason}`,
      'check that it is running and can be reached; the server resumes when the store is available',
    ),
}

/** True for an error that says that the store is unavailable. */
export const isUnavailable = (error: unknown): error is JexoError =>
  isJexoError(error) && error.code === 'store-unavailable'
