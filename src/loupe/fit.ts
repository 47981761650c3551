import { messageOf } from '../errors.js'
import { checkFor } from '../kit/validation.js'
import type { Catalogue } from '../link/catalogue.js'
import type { JsonObject } from '../protocol/messages.js'
import { foreignValidator } from '../transport/foreign-validator.js'

/**
 * Checks structured content against the output schema of its tool: the errors as text, empty if it is valid or there is
 * no schema.
 */
export async function fitOf(
  { tools }: Catalogue,
  method: string,
  params: JsonObject,
  result: JsonObject,
): Promise<{ issues?: string[] }> {
  const schema = method === 'tools/call' ? tools.find(({ name }) => name === params.name)?.outputSchema : undefined
  if (!schema || result.isError === true) return {}
  if (result.structuredContent === undefined)
    return { issues: ['the tool has an output schema, and the result has no structured content'] }
  try {
    const checked = await checkFor(undefined, schema, foreignValidator)(result.structuredContent)
    if (checked.ok) return { issues: [] }
    return { issues: checked.issues.map(({ path, reason }) => `${path.join('.') || 'the result'}: ${reason}`) }
  } catch (error) {
    return {
      issues: [`the output schema itself cannot be used: ${messageOf(error)}`],
    }
  }
}
