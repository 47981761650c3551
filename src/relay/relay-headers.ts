/** Headers of a single connection, which are not passed on. */
const hopByHop = new Set([
  'connection',
  'keep-alive',
  'proxy-connection',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
  'host',
])

/** Headers to pass on, in their order and original spelling. */
export function onwards(
  raw: readonly string[],
  over: Readonly<Record<string, string>>,
  without: readonly string[],
): Record<string, string | string[]> {
  const replaced = new Set([...Object.keys(over), ...without].map((name) => name.toLowerCase()))
  const headers: Record<string, string | string[]> = {}
  for (const [name, value] of pairsOf(raw)) {
    if (hopByHop.has(name.toLowerCase()) || replaced.has(name.toLowerCase())) continue
    const before = headers[name]
    headers[name] = before === undefined ? value : [before, value].flat()
  }
  return { ...headers, ...over }
}

const pairsOf = (raw: readonly string[]): [string, string][] =>
  Array.from({ length: raw.length / 2 }, (_, at) => [raw[at * 2] ?? '', raw[at * 2 + 1] ?? ''])

export const headersOf = (raw: readonly string[]): Record<string, string> =>
  Object.fromEntries(pairsOf(raw).map(([name, value]) => [name.toLowerCase(), value]))
