import type { ClientMonitoredItemBase, DataValue } from 'node-opcua'
import { Refusal } from '../../../../kit/refusal.js'
import type { JsonObject } from '../../../../protocol/messages.js'
import { feedErrors } from '../../errors.js'
import type { FeedOpening, FeedSink, OpenedSource, PushingSource } from '../../source.js'
import { type FeedAddress, plainAddress, shownUrl, valuesAt } from '../address.js'
import { keepConnected } from '../keep-connected.js'
import { connectOpcUa, type OpcUaConnection } from './connection.js'
import { type FoundNodes, findNodes } from './nodes.js'
import { securityIn } from './security.js'
import { jsonIn, readingIn, valueOfType } from './values.js'

export interface OpcUaOptions {
  /** Maximum number of nodes that are browsed. Default: 20,000. */
  readonly maxNodes?: number
  /** Requested sampling interval, in milliseconds. Default: 1,000. */
  readonly sampleEveryMs?: number
}
export const defaultMaxNodes = 20_000
const itemsAtOnce = 500
const timestampsOfBoth = 2
const valueAttribute = 13

/**
 * Reads an OPC UA server. The topic of a variable is its path below `Objects`, such as `Scales/ML-04/Weight`; readings have the server's time and quality.
 * Reconnects and browses again if the connection is lost. Needs the package `node-opcua`.
 *
 * @example sharedFeed(opcUaSource('opc.tcp://127.0.0.1:4840'), { name: 'scales', channels: { weight: { topic: 'Scales/{hive}/Weight' } } })
 */
export function opcUaSource(given: string | FeedAddress, options: OpcUaOptions = {}): PushingSource {
  const address = typeof given === 'string' ? plainAddress(given) : given
  return {
    packages: ['node-opcua'],
    async open(sink, opening) {
      const { url, ...login } = valuesAt(address, opening.settings)
      let current: Subscribed | undefined
      const connect = async (connected: () => void, signal: AbortSignal) => {
        const connection = await connectOpcUa(url, login, securityIn(address, opening.settings))
        const aborted = new Promise<string>((resolve) => {
          signal.addEventListener('abort', () => resolve('it was closed'), { once: true })
        })
        try {
          current = await subscribe(connection, sink, opening, options)
          connected()
          return await Promise.race([connection.ended, aborted])
        } finally {
          current = undefined
          await connection.close()
        }
      }
      const unreachable = (reason: string) => feedErrors.feedUnreachable(shownUrl(url), reason)
      const opened = await keepConnected(connect, sink, opening, unreachable)
      return {
        close: opened.close,
        invoke: (path, input) => {
          if (!current) throw new Refusal('The connection to the device is lost; try again later.')
          return invoke(current, path, input)
        },
      } satisfies OpenedSource
    },
  }
}

interface Subscribed extends OpcUaConnection {
  readonly nodes: FoundNodes
}

async function subscribe(
  connection: OpcUaConnection,
  sink: FeedSink,
  { filters, methods = [], signal }: FeedOpening,
  { maxNodes = defaultMaxNodes, sampleEveryMs = 1000 }: OpcUaOptions,
): Promise<Subscribed> {
  const { opcua, session } = connection
  const nodes = await findNodes(session, { variables: filters, methods, maxNodes, signal })
  const subscription = opcua.ClientSubscription.create(session, {
    requestedPublishingInterval: Math.max(100, sampleEveryMs / 2),
    requestedLifetimeCount: 1000,
    requestedMaxKeepAliveCount: 10,
    maxNotificationsPerPublish: 0,
    publishingEnabled: true,
    priority: 1,
  })
  subscription.on('error', () => {})
  const all = [...nodes.variables]
  for (let from = 0; from < all.length; from += itemsAtOnce) {
    const some = all.slice(from, from + itemsAtOnce)
    const items = some.map(([, nodeId]) => ({ nodeId, attributeId: valueAttribute }))
    const parameters = { samplingInterval: sampleEveryMs, discardOldest: true, queueSize: 10 }
    const group = opcua.ClientMonitoredItemGroup.create(subscription, items, parameters, timestampsOfBoth)
    group.on('err', () => {})
    group.on('changed', (_item: ClientMonitoredItemBase, dataValue: DataValue, index: number) => {
      const [path] = some[index] ?? []
      if (path === undefined) return
      const { value, at, notes } = readingIn(dataValue)
      sink.push(path, value, at, notes)
    })
  }
  return { ...connection, nodes }
}

/** Calls a method; arguments are matched by their names on the server. */
async function invoke({ opcua, session, nodes }: Subscribed, path: string, input: JsonObject): Promise<unknown> {
  const found = nodes.methods.get(path)
  if (!found) throw new Refusal(`There is no method ${path}.${knownText([...nodes.methods.keys()])}`)
  const { inputArguments = [], outputArguments = [] } = await session.getArgumentDefinition(found.method)
  const args = inputArguments.map(({ name, dataType, valueRank }) => {
    const type = dataType.namespace === 0 ? Number(dataType.value) : 12
    try {
      return new opcua.Variant({
        dataType: type,
        arrayType: valueRank >= 1 ? opcua.VariantArrayType.Array : opcua.VariantArrayType.Scalar,
        value: valueOfType(input[name ?? ''], type),
      })
    } catch (error) {
      throw new Refusal(`${name} ${(error as Error).message}.`)
    }
  })
  const result = await session.call({ objectId: found.object, methodId: found.method, inputArguments: args })
  if (result.statusCode.value !== 0) throw new Refusal(`The device refused: ${result.statusCode.name}.`)
  return Object.fromEntries(
    (result.outputArguments ?? []).map((one, at) => [outputArguments[at]?.name ?? `output${at + 1}`, jsonIn(one)]),
  )
}

const knownText = (paths: readonly string[]): string =>
  paths.length === 0 ? '' : ` There are ${paths.slice(0, 20).join(', ')}${paths.length > 20 ? ' and more' : ''}.`
