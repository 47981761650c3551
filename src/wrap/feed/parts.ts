import { isJexoError, type JexoError } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import { resource } from '../../kit/resource.js'
import { template } from '../../kit/template.js'
import { tool } from '../../kit/tool.js'
import type { JsonObject } from '../../protocol/messages.js'
import type { Feed, Reading, Series } from './feed.js'
import { pathOf } from './method.js'
import type { FeedPlan, PlannedChannel, PlannedMethod } from './plan.js'
import type { SharedFeed } from './shared-feed.js'

/** How long to wait for the first reading of a newly opened feed. */
const firstMs = 2000
const mostListed = 200
type Keys = Readonly<Record<string, string>>

/**
 * The parts of a plan: latest reading and history of each channel, the state of the connection, and a tool for each
 * channel.
 */
export function feedPartsOf(plan: FeedPlan, feed: SharedFeed): Part[] {
  const tools = plan.channels.flatMap((channel) =>
    channel.tool === undefined ? [] : [latestTool(channel.tool, channel, plan, feed)],
  )
  const resources = plan.channels.flatMap((channel) => [
    seriesPart(plan, channel, feed, 'latest'),
    seriesPart(plan, channel, feed, 'history'),
  ])
  const methods = plan.methods.map((method) => methodTool(method, plan, feed))
  return [...tools, ...methods, ...resources, statusPart(plan, feed)]
}

const belongings = (plan: FeedPlan, feed: SharedFeed) => ({
  settings: feed.settings,
  source: feed,
  ...(plan.tags.length > 0 ? { tags: plan.tags } : {}),
})

/** A resource, or a template if the topic has variables. */
function seriesPart(plan: FeedPlan, channel: PlannedChannel, shared: SharedFeed, kind: 'latest' | 'history'): Part {
  const { variables, unit } = channel
  const what = kind === 'latest' ? 'the latest reading' : 'the readings that are kept, oldest first'
  const options = {
    name: `${plan.name}_${channel.name}${kind === 'latest' ? '' : '_history'}`,
    about: `${channel.about}${unit ? `, in ${unit}` : ''}: ${what}.`,
    mimeType: 'application/json',
    ...belongings(plan, shared),
  }
  const uri = kind === 'latest' ? channel.uri : `${channel.uri}/history`
  const read = async (keys: Keys, call: Call) => {
    const feed = await call.use(shared)
    const series = await seriesFor(feed, channel, keys, call)
    return JSON.stringify(kind === 'latest' ? shownLatest(feed, series) : shownHistory(feed, series), null, 2)
  }
  if (variables.length === 0) return resource(uri, { ...options, read: (call) => read({}, call) })
  return template(uri, {
    ...options,
    read,
    ...(kind === 'latest'
      ? {
          list: async (call: Call) => {
            const feed = await call.use(shared)
            await feed.until(() => feed.all(channel.name).length > 0, firstMs, call.signal)
            return feed.all(channel.name).map(({ channel: of, keys }) => ({
              uri: shared.uris.latest(of, keys),
              name: `${channel.name} ${Object.values(keys).join(' ')}`,
              description: `${channel.about}: the latest reading of ${Object.values(keys).join(', ')}.`,
              mimeType: 'application/json',
            }))
          },
        }
      : {}),
    complete: Object.fromEntries(
      variables.map((variable) => [
        variable,
        async (typed: string, call: Call) => {
          const known = (await call.use(shared)).all(channel.name).map(({ keys }) => keys[variable] ?? '')
          return [...new Set(known)].filter((value) => value.toLowerCase().includes(typed.toLowerCase())).sort()
        },
      ]),
    ),
  })
}

/** The requested series. Throws a `Refusal` that names other series if it has no readings. */
async function seriesFor(feed: Feed, channel: PlannedChannel, keys: Keys, call: Call): Promise<Series> {
  await feed.until(() => feed.series(channel.name, keys) !== undefined, waitMs(feed, channel), call.signal)
  const series = feed.series(channel.name, keys)
  if (series) return series
  const known = feed.all(channel.name).map((one) => Object.values(one.keys).join('/'))
  const others =
    known.length > 0
      ? ` There are readings of ${known.sort().slice(0, 20).join(', ')}${known.length > 20 ? ' and more' : ''}.`
      : ''
  throw new Refusal(
    `No reading has arrived yet of ${[channel.name, ...Object.values(keys)].join(' ')}.${others} ${connectionText(feed)}`.trim(),
  )
}

/** How long to wait for a reading: not at all if the feed has other readings, and has been open for a while. */
const waitMs = (feed: Feed, { name }: PlannedChannel): number =>
  feed.all(name).length > 0 ? Math.max(0, firstMs - feed.ageMs) : firstMs

const connectionText = ({ connection }: Feed): string =>
  connection.state === 'lost'
    ? `The connection has been lost since ${connection.since} (${connection.reason}).`
    : ''

const plain = ({ value, label, at, quality, status }: Reading) => ({
  value,
  ...(label === undefined ? {} : { label }),
  at,
  ...(quality === undefined ? {} : { quality }),
  ...(status === undefined ? {} : { status }),
})

function shownLatest(feed: Feed, series: Series): object {
  const reading = series.readings.at(-1) as Reading
  const { unit, range } = series.channel
  const { state, since } = feed.connection
  return {
    ...series.keys,
    ...plain(reading),
    ...(unit === undefined ? {} : { unit }),
    ...(range === undefined ? {} : { range }),
    ageMs: Math.max(0, Date.now() - Date.parse(reading.receivedAt)),
    isStale: feed.isStale(series),
    ...(state === 'lost' ? { connection: `lost since ${since}` } : {}),
  }
}

const shownHistory = (feed: Feed, series: Series): object => ({
  ...series.keys,
  ...(series.channel.unit === undefined ? {} : { unit: series.channel.unit }),
  isStale: feed.isStale(series),
  readings: series.readings.map(plain),
})

function statusPart(plan: FeedPlan, shared: SharedFeed): Part {
  return resource(plan.status, {
    name: `${plan.name}_status`,
    about: `State of the connection to the source of ${plan.name}, and the age of its readings.`,
    mimeType: 'application/json',
    ...belongings(plan, shared),
    async read(call) {
      const opened = await openedFeed(call, shared)
      if ('reason' in opened)
        return JSON.stringify({ connection: { state: 'unavailable', ...opened }, channels: [] }, null, 2)
      const { feed } = opened
      await feed.until(() => feed.all().length > 0, firstMs, call.signal)
      const channels = plan.channels.map(({ name }) => {
        const series = feed.all(name)
        return {
          channel: name,
          series: series.length,
          stale: series.filter((one) => feed.isStale(one)).length,
          latestAt:
            series
              .map(({ readings }) => readings.at(-1)?.receivedAt ?? '')
              .sort()
              .at(-1) ?? null,
        }
      })
      return JSON.stringify({ connection: feed.connection, channels }, null, 2)
    },
  })
}

/** The status is read when nothing else works, so it contains the reason. */
async function openedFeed(call: Call, shared: SharedFeed): Promise<{ feed: Feed } | { reason: string }> {
  try {
    return { feed: await call.use(shared) }
  } catch (error) {
    if (call.signal.aborted || !isJexoError(error)) throw error
    return {
      reason: isLoginRefused(error)
        ? 'The source refused the user or password.'
        : (error.callerText ?? 'The source cannot be opened.'),
    }
  }
}

const isLoginRefused = ({ problem }: JexoError): boolean =>
  /not authori[sz]ed|bad user ?name|BadUserAccessDenied|BadIdentityToken|HTTP 40[13]/i.test(problem)

function latestTool(name: string, channel: PlannedChannel, plan: FeedPlan, shared: SharedFeed): Part {
  const { variables, unit, labels } = channel
  const meanings = labels
    ? ` ${Object.entries(labels)
        .map(([value, label]) => `${value} means ${label}`)
        .join(', ')}.`
    : ''
  return tool(name, {
    about: `${channel.about}${unit ? `, in ${unit}` : ''}: the latest reading${variables.length > 0 ? ' of each, or of one' : ''}.${meanings}`,
    effect: 'read',
    ...belongings(plan, shared),
    input: {
      type: 'object',
      properties: Object.fromEntries(
        variables.map((variable) => [
          variable,
          { type: 'string', maxLength: 200, description: `Only of this ${variable}` },
        ]),
      ),
      additionalProperties: false,
    },
    output: {
      type: 'object',
      properties: {
        readings: {
          type: 'array',
          items: {
            type: 'object',
            properties: {
              ...Object.fromEntries(variables.map((variable) => [variable, { type: 'string' }])),
              value: {},
              label: { type: 'string' },
              at: { type: 'string' },
              isStale: { type: 'boolean', description: 'No newer reading for longer than expected' },
            },
            required: ['value', 'at', 'isStale'],
          },
        },
        note: { type: 'string' },
      },
      required: ['readings'],
    },
    run: (async (given: Keys, call: Call) => {
      const feed = await call.use(shared)
      const wanted = () =>
        feed
          .all(channel.name)
          .filter(({ keys }) =>
            variables.every((variable) => given[variable] === undefined || keys[variable] === given[variable]),
          )
      await feed.until(() => wanted().length > 0, waitMs(feed, channel), call.signal)
      const found = wanted()
      if (found.length === 0) await seriesFor(feed, channel, given, call)
      const notes = [
        found.length > mostListed ? `${found.length - mostListed} more; say which one.` : '',
        connectionText(feed),
      ].filter(Boolean)
      return {
        readings: found.slice(0, mostListed).map((series) => {
          const {
            ageMs: _age,
            connection: _connection,
            ...shown
          } = shownLatest(feed, series) as Record<string, unknown>
          return shown
        }),
        ...(notes.length > 0 ? { note: notes.join(' ') } : {}),
      }
    }) as () => never,
  })
}

function methodTool(
  { tool: name, path, about, effect, input }: PlannedMethod,
  plan: FeedPlan,
  shared: SharedFeed,
): Part {
  return tool(name, {
    about: `${about}.`,
    effect,
    ...belongings(plan, shared),
    input: input as never,
    run: (async (given: JsonObject, call: Call) => {
      const feed = await call.use(shared)
      const called = pathOf(path, given)
      return call.upstream('device', called, () => feed.invoke(called, given, call.signal))
    }) as never,
  })
}
