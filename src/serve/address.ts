import { kitErrors } from '../kit/errors.js'

export interface HttpAddress {
  host: string
  port: number
}

/** Reads `4870`, `0.0.0.0:4870` or `[::1]:4870`; without a host it is 127.0.0.1. */
export function readHttpAddress(text: string): HttpAddress {
  const found = /^(?:(\[[0-9a-fA-F:]+\]|[^:[\]]+):)?(\d{1,5})$/.exec(text)
  const port = Number(found?.[2])
  if (!found || port > 65_535)
    throw kitErrors.argumentUnreadable(
      `the address ${JSON.stringify(text)}`,
      '[host:]port, with a port up to 65535',
    )
  return { host: found[1]?.replace(/^\[|\]$/g, '') ?? '127.0.0.1', port }
}
