import type { Link } from '../link/link.js'
import type { EmbeddedContent, ToolResult } from '../protocol/types.js'

/** One stop of the tour: a question, the command that answers it, and its output. */
export interface Stop {
  wish: string
  command: string
  outcome: string
  tookMs: number
}

type Step = Omit<Stop, 'outcome' | 'tookMs'> & { run(link: Link): Promise<string> }

/** Where the registry's own API is, and its key. */
export interface RegistryAt {
  url: string
  key: string
}

/** Runs the tour of the apiary with real calls, one stop after the other. */
export async function* tour(link: Link, target: string, registry: RegistryAt): AsyncGenerator<Stop> {
  const all = [...steps(target), ...dataSteps(target), ...registrySteps(target, registry)]
  for (const { wish, command, run } of all) {
    const startedAt = performance.now()
    const outcome = await run(link)
    yield { wish, command, outcome, tookMs: performance.now() - startedAt }
  }
}

function steps(target: string): Step[] {
  const inspection = {
    hive: 'ML-04',
    on: '2026-06-02',
    framesOfBrood: 6,
    framesOfBees: 9,
    storesKg: 12.5,
    queenSeen: true,
  }
  const words = Object.entries(inspection).map(([name, value]) => `${name}=${value}`)
  return [
    {
      wish: 'What does the apiary offer?',
      command: `jexo show ${target}`,
      run: async (link) => {
        const [tools, resources, prompts] = await Promise.all([link.tools(), link.resources(), link.prompts()])
        return `${tools.length} tools, ${resources.length} resources, ${prompts.length} prompt: ${tools.map(({ name }) => name).join(', ')}`
      },
    },
    {
      wish: 'How heavy is hive ML-04?',
      command: `jexo call ${target} weigh_hive hive=ML-04`,
      run: async (link) => {
        const { kg, at } = structured<{ kg: number; at: string }>(await link.call('weigh_hive', { hive: 'ML-04' }))
        return `${kg} kg at ${at}`
      },
    },
    {
      wish: 'And a hive that does not exist?',
      command: `jexo call ${target} weigh_hive hive=ML-99`,
      run: async (link) => `refused: ${textOf(await link.call('weigh_hive', { hive: 'ML-99' }))}`,
    },
    {
      wish: 'All of Quarry Field, with progress',
      command: `jexo call ${target} weigh_site site="Quarry Field"`,
      run: async (link) => {
        const seen: string[] = []
        const onProgress = ({ message = '' }: { message?: string }) => void seen.push(message)
        const result = await link.call('weigh_site', { site: 'Quarry Field' }, { onProgress })
        return `${seen.join(', ')}: ${structured<{ totalKg: number }>(result).totalKg} kg together`
      },
    },
    {
      wish: 'Record an inspection',
      command: `jexo call ${target} record_inspection ${words.join(' ')}`,
      run: async (link) => {
        const result = await link.call('record_inspection', inspection)
        const { id, nextInspection } = structured<{ id: number; nextInspection: string }>(result)
        return `inspection ${id} is in the ledger; next inspection on ${nextInspection}`
      },
    },
    {
      wish: 'Is it really there?',
      command: `jexo read ${target} apiary://hives/ML-04`,
      run: async (link) => {
        const { contents } = await link.read('apiary://hives/ML-04')
        const sheet = JSON.parse(contents[0]?.text ?? '{}') as {
          lastInspection?: { id: number; on: string; storesKg: number }
        }
        const { id, on, storesKg } = sheet.lastInspection ?? { id: 0, on: 'none', storesKg: 0 }
        return `the sheet of ML-04 shows inspection ${id} of ${on}, ${storesKg} kg of stores`
      },
    },
    {
      wish: 'A prompt for the model that includes the sheet',
      command: `jexo fill ${target} inspection_letter hive=ML-04 member="Ada Fenn" tone=warm`,
      run: async (link) => {
        const { messages } = await link.fill('inspection_letter', {
          hive: 'ML-04',
          member: 'Ada Fenn',
          tone: 'warm',
        })
        const embedded = messages.find(({ content }) => content.type === 'resource')?.content as
          | EmbeddedContent
          | undefined
        return `${messages.length} messages; the second includes ${embedded?.resource.uri ?? 'nothing'}`
      },
    },
  ]
}

/** Questions to the ledger, the field guide, the graph and the scales. */
function dataSteps(target: string): Step[] {
  const dry = { site: 'Orchard End', driest: 16.5 }
  const question = 'select site, sum(kg) as kg from season group by site order by kg desc'
  return [
    {
      wish: 'Which honey of Orchard End is dry enough to keep? (a statement in a file)',
      command: `jexo call ${target} honey_batches site="Orchard End" driest=16.5 --trace`,
      run: async (link) => {
        const { rows } = structured<Rows>(await link.call('honey_batches', dry))
        return rows
          .map(({ id, kind, kg, moisture }) => `batch ${id}: ${kg} kg of ${kind}, ${moisture} %`)
          .join('; ')
      },
    },
    {
      wish: 'An ad-hoc query, as a SELECT',
      command: `jexo call ${target} ask_ledger sql="${question}"`,
      run: async (link) => {
        const { rows } = structured<Rows>(await link.call('ask_ledger', { sql: question }))
        return rows.map(({ site, kg }) => `${site} ${kg} kg`).join(', ')
      },
    },
    {
      wish: 'And a DELETE?',
      command: `jexo call ${target} ask_ledger sql="delete from batches"`,
      run: async (link) => `refused: ${textOf(await link.call('ask_ledger', { sql: 'delete from batches' }))}`,
    },
    {
      wish: 'How much sugar before winter? Ask the field guide',
      command: `jexo call ${target} search_fieldguide query="how much sugar" most=1`,
      run: async (link) => {
        const { passages } = structured<{
          passages: { file: string; heading: string; fromLine: number; text: string }[]
        }>(await link.call('search_fieldguide', { query: 'how much sugar', most: 1 }))
        const [{ file = '', heading = '', fromLine = 0, text = '' } = {}] = passages
        return `${file}, line ${fromLine}, ${heading}: ${text.split('\n').slice(1).join(' ').slice(0, 120)} …`
      },
    },
    {
      wish: 'The history of a hive, from one GraphQL operation',
      command: `jexo call ${target} hive_history code=ML-04`,
      run: async (link) => {
        const { hive } = structured<{
          hive: { keeper: string; inspections: unknown[]; batches: { kg: number }[] }
        }>(await link.call('hive_history', { code: 'ML-04' }))
        return `kept by ${hive.keeper}; ${hive.inspections.length} inspections, ${hive.batches.length} batch of ${hive.batches[0]?.kg} kg`
      },
    },
    {
      wish: 'What do the scales report, and do they work?',
      command: `jexo call ${target} latest_scales_state`,
      run: async (link) => {
        const { readings } = structured<{ readings: { hive: string; label: string }[] }>(
          await link.call('latest_scales_state'),
        )
        const odd = readings.filter(({ label }) => label !== 'fine').map(({ hive, label }) => `${hive}: ${label}`)
        return `${readings.length} scales; ${odd.join(', ') || 'all fine'}`
      },
    },
    {
      wish: 'Tell me when the scale under ML-04 reports again',
      command: `jexo read ${target} scales://weight/ML-04`,
      run: async (link) => {
        const told = new Promise<string>((resolve) => link.on('resourceUpdated', ({ uri }) => resolve(uri)))
        await link.subscribe('scales://weight/ML-04')
        const uri = await told
        const { contents } = await link.read(uri)
        const { value, unit, isStale } = JSON.parse(contents[0]?.text ?? '{}') as Record<string, unknown>
        await link.unsubscribe(uri)
        return `${uri} was updated: ${value} ${unit}, ${isStale ? 'stale' : 'fresh'}`
      },
    },
  ]
}

type Rows = { rows: Record<string, unknown>[] }

/** A tool adds a hive, and a direct request to the REST API behind it shows that it exists. */
function registrySteps(target: string, { url, key }: RegistryAt): Step[] {
  const hive = { hive: 'ML-13', site: 'Orchard End', queen: 2026, frames: 10, keeper: 'Cora Withy' }
  const words = Object.entries(hive).map(([name, value]) => `${name}=${JSON.stringify(value)}`)
  return [
    {
      wish: 'Register a new hive, through the existing REST API',
      command: `jexo call ${target} register_hive ${words.join(' ')} --trace`,
      run: async (link) => {
        const added = structured<typeof hive>(await link.call('register_hive', hive))
        return `${added.hive} stands at ${added.site}, kept by ${added.keeper}`
      },
    },
    {
      wish: 'And what does the API itself say?',
      command: `curl -H "X-Registry-Key: ${key}" ${url}/hives/ML-13`,
      run: async () => {
        const response = await fetch(`${url}/hives/ML-13`, { headers: { 'x-registry-key': key } })
        return `${response.status}: ${await response.text()}`
      },
    },
  ]
}

function structured<T>(result: ToolResult): T {
  if (result.isError || !result.structuredContent) throw new Error(`the tour failed: ${textOf(result)}`)
  return result.structuredContent as T
}

const textOf = (result: ToolResult) =>
  result.content.map((block) => (block.type === 'text' ? block.text : block.type)).join(' ')
