import type { Call } from '../../kit/call.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Setting } from '../../kit/settings.js'
import type { Shared } from '../../kit/shared.js'
import type { Validate } from '../../kit/validation.js'
import type { JsonObject } from '../../protocol/messages.js'
import { withDefinitions } from '../schema/definitions.js'
import type { RestClient } from './client.js'
import { withGenerated } from './generated.js'
import type { PlannedOperation, RestPlan } from './operation.js'

/** State that the parts of a plan share. */
export interface PartsKit {
  readonly client: Shared<RestClient>
  readonly settings: Readonly<Record<string, Setting>>
  readonly isStrict: boolean
  fits(operation: PlannedOperation): Promise<Validate | undefined>
}

/** Executes an operation with validated arguments. */
export async function carriedOut(operation: PlannedOperation, given: JsonObject, call: Call, kit: PartsKit) {
  const client = await call.use(kit.client)
  return client.carryOut(operation, withGenerated(operation, given), call, await kit.fits(operation))
}

/** The complete schema of an operation's arguments. */
export const inputOf = (plan: RestPlan, operation: PlannedOperation): JsonSchema =>
  withDefinitions(operation.input, plan.inputDefinitions)

/** The complete response schema. */
export const outputOf = (plan: RestPlan, { response }: PlannedOperation): JsonSchema | undefined =>
  response.schema && withDefinitions(response.schema, plan.outputDefinitions)
