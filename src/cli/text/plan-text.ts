import { tokensOf } from '../../context-cost/context-cost.js'
import type { Preview } from '../../wrap/preview/preview.js'
import { commandPlanText } from './command-plan-text.js'
import { folderPlanText, sqlPlanText } from './data-plan-text.js'
import { feedPlanText } from './feed-plan-text.js'
import { modulePlanText } from './module-plan-text.js'
import { processPlanText } from './process-plan-text.js'
import { type ContextCost, restPlanText } from './rest-plan-text.js'
import { serverPlanText } from './server-plan-text.js'

/** A plan as text; `source` is the displayed name of the source. */
export async function planText(preview: Preview, source: string): Promise<string> {
  switch (preview.form) {
    case 'module':
      return modulePlanText(preview.plan, source, await moduleCostOf(preview.plan))
    case 'api':
      return restPlanText(preview.plan, source, await costOf(preview.plan))
    case 'sql': {
      const tools = preview.plan.tools.map(({ name, about, input }) => ({ name, about, input }))
      return sqlPlanText(preview.plan, preview.plan.address.url ?? source, await tokensOf(tools))
    }
    case 'folder':
      return folderPlanText(preview.plan, source)
    case 'command': {
      const tools = preview.plan.tools.map(({ name, input, command }) => ({ name, about: command.about, input }))
      return commandPlanText(preview.plan, source, await tokensOf(tools))
    }
    case 'process': {
      const tools = preview.plan.tools.map(({ as, definition: { about, input = {} } }) => ({
        name: as,
        about,
        input,
      }))
      return processPlanText(preview.plan, await tokensOf(tools))
    }
    case 'server': {
      const tools = preview.plan.tools.map(({ as, definition }) => ({
        ...{ name: as, about: definition.description ?? '', input: definition.inputSchema },
      }))
      return serverPlanText(preview.plan, source, await tokensOf(tools))
    }
    case 'feed':
      return feedPlanText(preview, source)
  }
}

async function moduleCostOf(plan: Extract<Preview, { form: 'module' }>['plan']): Promise<ContextCost> {
  const { modulePartsOf } = await import('../../wrap/module/parts.js')
  const catalogue = modulePartsOf({ ...plan, form: 'catalogue' }, {}).map(({ name, about, inputSchema }) => ({
    ...{ name, about, input: inputSchema },
  }))
  return { tools: await tokensOf(plan.tools), catalogue: await tokensOf(catalogue) }
}

/** Context costs of an API: with one tool per operation, and as a catalogue. */
async function costOf(plan: Extract<Preview, { form: 'api' }>['plan']): Promise<ContextCost> {
  const { restPartsOf } = await import('../../wrap/http-api/parts.js')
  const cost = (form: 'tools' | 'catalogue') =>
    tokensOf(
      restPartsOf({ ...plan, form }).flatMap((part) =>
        part.kind === 'tool' ? [{ name: part.name, about: part.about, input: part.inputSchema }] : [],
      ),
    )
  return { tools: await cost('tools'), catalogue: await cost('catalogue') }
}
