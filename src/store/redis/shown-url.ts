import { kitErrors } from '../../kit/errors.js'

/** A URL for display, without its password. Throws a `JexoError` if it is not the URL of a Redis server. */
export function shownUrl(given: string): string {
  if (!URL.canParse(given) || !/^rediss?:$/.test(new URL(given).protocol) || new URL(given).hostname === '')
    throw kitErrors.argumentUnreadable(
      `the store ${JSON.stringify(given.replace(/\/\/.*@/, '//…@').slice(0, 200))}`,
      'the URL of a Redis server, such as redis://127.0.0.1:6379',
    )
  const { protocol, host, pathname } = new URL(given)
  return `${protocol}//${host}${pathname === '/' ? '' : pathname}`
}
