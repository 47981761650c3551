import { cacheFolder, cacheKey, readCached, writeCached } from '../files/user-cache.js'
import type { JsonSchema } from '../kit/schema.js'
import type { ToolDefinition } from '../protocol/types.js'
import { uiOf } from '../protocol/ui.js'

/** The parts of a tool that a model reads. */
export interface ToolText {
  readonly name: string
  readonly about: string
  readonly input: JsonSchema
}

/** The cost of a list of tools in a model's context, in tokens: an estimate with one common encoding. */
export async function tokensOf(tools: readonly ToolText[]): Promise<number> {
  const counts = await countsOf(tools.map(textOf))
  return counts.reduce((sum, count) => sum + count, 0)
}

/** The cost of each tool in a model's context, in tokens, by name; 0 for tools that only views may call. */
export async function costsOf(tools: readonly ToolDefinition[]): Promise<Record<string, number>> {
  const forModel = tools.filter((tool) => uiOf(tool).isForModel)
  const counts = await countsOf(
    forModel.map(({ name, description = '', inputSchema }) =>
      textOf({ name, about: description, input: inputSchema }),
    ),
  )
  const costs = new Map(forModel.map(({ name }, at) => [name, counts[at] ?? 0]))
  return Object.fromEntries(tools.map(({ name }) => [name, costs.get(name) ?? 0]))
}

/** The number of tokens in a text. */
export async function tokensIn(text: string): Promise<number> {
  const [count = 0] = await countsOf([text])
  return count
}

const textOf = ({ name, about, input }: ToolText): string =>
  JSON.stringify({ name, description: about, parameters: input })

/** The number of tokens in each text. Kept in the user's cache, since loading the encoding takes longer than most commands. */
async function countsOf(texts: readonly string[]): Promise<readonly number[]> {
  if (texts.length === 0) return []
  const folder = cacheFolder('token-counts')
  const name = `${cacheKey('o200k_base', ...texts)}.json`
  const kept = countsIn(readCached(folder, name)?.toString(), texts.length)
  if (kept) return kept
  const { countTokens } = await loadCounter()
  const counts = texts.map(countTokens)
  writeCached(folder, name, JSON.stringify(counts))
  return counts
}

function countsIn(text: string | undefined, length: number): number[] | undefined {
  try {
    const counts: unknown = JSON.parse(text ?? '')
    const isValid =
      Array.isArray(counts) &&
      counts.length === length &&
      counts.every((count) => Number.isSafeInteger(count) && count >= 0)
    return isValid ? counts : undefined
  } catch {
    return undefined
  }
}

/** Tokens are counted up to this length; beyond, four characters count as a token. */
const countedCharacters = 200_000
/** The counter takes quadratic time for a word, so a longer one is counted in pieces. */
const longestWord = 300

async function loadCounter(): Promise<{ countTokens(text: string): number }> {
  const { countTokens } = await import('gpt-tokenizer/encoding/o200k_base')
  return {
    countTokens: (text) => {
      const counted = text.slice(0, countedCharacters)
      const broken = hasLongWord(counted) ? counted.replace(/\S{300}/g, '$& ') : counted
      return countTokens(broken) + Math.ceil((text.length - counted.length) / 4)
    },
  }
}

function hasLongWord(text: string): boolean {
  let start = 0
  for (const { index } of text.matchAll(/\s/g)) {
    if (index - start > longestWord) return true
    start = index + 1
  }
  return text.length - start > longestWord
}
