import { isJexoError, type JexoError } from '../errors.js'
import { linkErrors } from '../link/errors.js'
import type { Link } from '../link/link.js'

/** Several links: those that opened, and the errors of the others. */
export interface Links {
  readonly links: Readonly<Record<string, Link>>
  readonly failed: Readonly<Record<string, JexoError>>
  /** Closes all of them. */
  close(): Promise<void>
}

/** Opens all entries in parallel; a failure does not affect the others. */
export async function connectEach<T>(
  entries: Readonly<Record<string, T>>,
  connect: (target: T) => Promise<Link>,
): Promise<Links> {
  const links: Record<string, Link> = {}
  const failed: Record<string, JexoError> = {}
  await Promise.all(
    Object.entries(entries).map(async ([name, target]) => {
      try {
        links[name] = await connect(target)
      } catch (error) {
        failed[name] = isJexoError(error) ? error : linkErrors.connectFailed(name, String(error), error)
      }
    }),
  )
  const close = async () => {
    await Promise.all(Object.values(links).map((link) => link.close()))
  }
  return { links, failed, close }
}
