import type { JsonSchema } from '../kit/schema.js'
import type { ToolDefinition } from '../protocol/types.js'
import { uiOf } from '../protocol/ui.js'

/** What a host puts before a model of a tool. */
export interface ToolText {
  readonly name: string
  readonly about: string
  readonly input: JsonSchema
}

/** How many tokens a list of tools takes of a model's context: an estimate, by the tokens of one widespread encoding. */
export async function tokensOf(tools: readonly ToolText[]): Promise<number> {
  const { countTokens } = await loadCounter()
  return tools.reduce(
    (sum, { name, about, input }) =>
      sum + countTokens(JSON.stringify({ name, description: about, parameters: input })),
    0,
  )
}

/** What each tool costs of a model's context, in tokens, by name; nothing for those that only pages may call. */
export async function costsOf(tools: readonly ToolDefinition[]): Promise<Record<string, number>> {
  const costs = tools.map(async (tool) => {
    const { name, description = '', inputSchema } = tool
    if (!uiOf(tool).isForModel) return [name, 0] as const
    return [name, await tokensOf([{ name, about: description, input: inputSchema }])] as const
  })
  return Object.fromEntries(await Promise.all(costs))
}

/** How many tokens a text is. */
export async function tokensIn(text: string): Promise<number> {
  const { countTokens } = await loadCounter()
  return countTokens(text)
}

/** Up to here tokens are counted; what comes after is taken to have four characters to a token. */
const countedCharacters = 200_000
/** The counter takes quadratic time for a word: a longer one is counted in pieces. */
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
