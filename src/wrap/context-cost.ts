import type { JsonSchema } from '../kit/schema.js'

/** What a host puts before a model of a tool. */
export interface ToolText {
  readonly name: string
  readonly about: string
  readonly input: JsonSchema
}

/** How many tokens a list of tools takes of a model's context: an estimate, by the tokens of one widespread encoding. */
export async function tokensOf(tools: readonly ToolText[]): Promise<number> {
  const { countTokens } = await import('gpt-tokenizer/encoding/o200k_base')
  return tools.reduce(
    (sum, { name, about, input }) =>
      sum + countTokens(JSON.stringify({ name, description: about, parameters: input })),
    0,
  )
}
