import type { ClientSession, NodeId } from 'node-opcua'
import { isJexoError } from '../../../../errors.js'
import type { JsonSchema } from '../../../../kit/schema.js'
import type { ChannelOptions } from '../../channel.js'
import { feedErrors } from '../../errors.js'
import { channelsFor, freeName, nameIn } from '../../infer/channels.js'
import type { MethodOptions } from '../../method.js'
import type { FeedReading } from '../../read.js'
import { patternsOf, topicPattern } from '../../topics.js'
import { type FeedAddress, settableAddress, shownUrl, valuesAt } from '../address.js'
import { connectOpcUa } from './connection.js'
import { type FoundNodes, findNodes } from './nodes.js'
import { defaultMaxNodes } from './opc-ua.js'
import { securityIn } from './security.js'
import { jsonIn, schemaOfType } from './values.js'

const attributes = { description: 5, value: 13 }
const mostListedMethods = 200

/**
 * Browses a server: one channel for similar variables, with their description, unit, range and the labels of their
 * states. Settings such as `OPCUA_SECURITY_MODE` configure the connection. Rejects with a `JexoError` if it cannot be
 * reached, or has no variables.
 */
export async function readOpcUa(
  address: FeedAddress,
  environment: Readonly<Record<string, string | undefined>>,
): Promise<FeedReading> {
  const { url, ...login } = valuesAt(address, {})
  const security = securityIn(settableAddress(url, 'OPCUA'), environment)
  const connection = await connectOpcUa(url, login, security).catch((error: Error) => {
    if (isJexoError(error) && error.code === 'package-missing') throw error
    throw feedErrors.feedUnreachable(shownUrl(url), error.message)
  })
  try {
    const { session } = connection
    const search = {
      variables: ['#'],
      methods: ['#'],
      maxNodes: defaultMaxNodes,
      signal: AbortSignal.timeout(120_000),
    }
    const nodes = await findNodes(session, search)
    if (nodes.variables.size === 0) throw feedErrors.feedSilent(shownUrl(url), 'Objects', 0)
    return await describe(session, nodes, url)
  } finally {
    await connection.close()
  }
}

async function describe(session: ClientSession, nodes: FoundNodes, url: string): Promise<FeedReading> {
  const seen = new Map([...nodes.variables.keys()].map((path) => [path, undefined]))
  const { channels: plain } = channelsFor(seen)
  const channels: Record<string, ChannelOptions> = {}
  const examples: Record<string, unknown> = {}
  for (const [channel, options] of Object.entries(plain)) {
    const pattern = topicPattern(options.topic)
    const [, node] = [...nodes.variables].find(([path]) => pattern.match(path)) ?? []
    if (node === undefined) continue
    const { example, ...more } = await variableOf(session, node)
    channels[channel] = { ...options, ...more }
    examples[channel] = example
  }
  const warning = `The server has more nodes than the ${defaultMaxNodes.toLocaleString('en')} that were looked at; name more with channels in the kit, and raise maxNodes.`
  const cut = nodes.isCut ? { warning } : {}
  return {
    ...cut,
    url,
    name: nameIn(url),
    channels,
    examples,
    topics: seen.size,
    methods: await methodsIn(session, nodes),
  }
}

/** Properties of a variable. */
async function variableOf(
  session: ClientSession,
  nodeId: NodeId,
): Promise<Omit<ChannelOptions, 'topic'> & { example: unknown }> {
  const [described, value] = await session.read([
    { nodeId, attributeId: attributes.description },
    { nodeId, attributeId: attributes.value },
  ])
  const about = jsonIn(described?.value)
  const properties = await propertiesOf(session, nodeId)
  const unit = properties.get('EngineeringUnits') as { displayName?: { text?: string } } | undefined
  const range = properties.get('EURange') as { low?: number; high?: number } | undefined
  const labels = labelsIn(properties)
  return {
    example: jsonIn(value?.value),
    ...(typeof about === 'string' && about !== '' ? { about } : {}),
    ...(unit?.displayName?.text ? { unit: unit.displayName.text } : {}),
    ...(typeof range?.low === 'number' && typeof range.high === 'number'
      ? { range: [range.low, range.high] as const }
      : {}),
    ...(labels === undefined ? {} : { labels }),
  }
}

async function propertiesOf(session: ClientSession, nodeId: NodeId): Promise<ReadonlyMap<string, unknown>> {
  const { references } = await session.browse({
    nodeId,
    referenceTypeId: 'HasProperty',
    includeSubtypes: true,
    browseDirection: 0,
    nodeClassMask: 2,
    resultMask: 63,
  })
  const wanted = (references ?? []).filter(({ browseName }) =>
    /^(EngineeringUnits|EURange|EnumStrings|EnumValues|TrueState|FalseState)$/.test(String(browseName.name)),
  )
  if (wanted.length === 0) return new Map()
  const values = await session.read(wanted.map((one) => ({ nodeId: one.nodeId, attributeId: attributes.value })))
  return new Map(wanted.map(({ browseName }, at) => [String(browseName.name), values[at]?.value?.value]))
}

/** Labels of the numeric or boolean values of a state. */
function labelsIn(properties: ReadonlyMap<string, unknown>): Record<string, string> | undefined {
  const strings = properties.get('EnumStrings') as readonly { text?: string }[] | undefined
  if (strings) return Object.fromEntries(strings.map(({ text }, at) => [at, text ?? String(at)]))
  const values = properties.get('EnumValues') as
    | readonly { value?: unknown; displayName?: { text?: string } }[]
    | undefined
  if (values)
    return Object.fromEntries(
      values.map(({ value, displayName }) => [
        String(Array.isArray(value) ? value[1] : value),
        displayName?.text ?? '',
      ]),
    )
  const [yes, no] = ['TrueState', 'FalseState'].map((name) => properties.get(name) as { text?: string } | undefined)
  return yes?.text && no?.text ? { true: yes.text, false: no.text } : undefined
}

/** Similar methods become one, with variables. */
async function methodsIn(session: ClientSession, nodes: FoundNodes): Promise<Record<string, MethodOptions>> {
  const methods: Record<string, MethodOptions> = {}
  for (const path of patternsOf([...nodes.methods.keys()]).slice(0, mostListedMethods)) {
    const pattern = topicPattern(path)
    const [, found] = [...nodes.methods].find(([one]) => pattern.match(one)) ?? []
    if (!found) continue
    const { inputArguments = [] } = await session.getArgumentDefinition(found.method)
    const [described] = await session.read([{ nodeId: found.method, attributeId: attributes.description }])
    const about = jsonIn(described?.value)
    const fixed = path.split('/').filter((level) => !level.startsWith('{'))
    const name = freeName(fixed.at(-1) ?? 'method', methods).replaceAll('-', '_')
    methods[name] = {
      path,
      ...(typeof about === 'string' && about !== '' ? { about } : {}),
      ...(inputArguments.length === 0 ? {} : { input: inputOf(inputArguments) }),
    }
  }
  return methods
}

function inputOf(
  args: readonly {
    name?: string | null
    dataType: NodeId
    valueRank: number
    description?: { text?: string | null }
  }[],
): JsonSchema {
  const named = args.map(({ name, dataType, valueRank, description }, at) => [
    name ?? `argument${at + 1}`,
    {
      ...schemaOfType(dataType.namespace === 0 ? Number(dataType.value) : 12, valueRank),
      ...(description?.text ? { description: description.text } : {}),
    },
  ])
  return { type: 'object', properties: Object.fromEntries(named) }
}
