import type { IClientOptions, MqttClient } from 'mqtt'
import { optionalPackage } from '../../../optional-packages.js'
import { feedErrors } from '../errors.js'
import type { PushingSource } from '../source.js'
import { type FeedAddress, plainAddress, shownUrl, valuesAt } from './address.js'
import { valueIn } from './value-in.js'

const connectMs = 5000
const reconnectMs = 1000

/** A source that returns the function that closes it. */
interface ClosedByFunction extends PushingSource {
  open(...given: Parameters<PushingSource['open']>): Promise<() => Promise<void>>
}

/**
 * An MQTT broker as a source. The connection is restored automatically.
 *
 * @example sharedFeed(mqttSource('mqtt://127.0.0.1:1883'), { name: 'scales', channels })
 */
export const mqttSource = (given: string | FeedAddress): ClosedByFunction => {
  const address = typeof given === 'string' ? plainAddress(given) : given
  return {
    async open(sink, { settings, filters, signal }) {
      const { url, user: username, password } = valuesAt(address, settings)
      const { connect } = await loadMqtt()
      const options: IClientOptions = {
        connectTimeout: connectMs,
        reconnectPeriod: reconnectMs,
        ...(username === undefined ? {} : { username }),
        ...(password === undefined ? {} : { password }),
      }
      const client = connect(url, options)
      await connected(client, url)
      let reason = 'the broker closed the connection'
      client.on('connect', () => {
        reason = 'the broker closed the connection'
        sink.found()
      })
      client.on('error', (error) => (reason = error.message || String(error)))
      client.on('close', () => !signal.aborted && sink.lost(reason))
      client.on('message', (topic, payload) => sink.push(topic, valueIn(payload)))
      await client.subscribeAsync([...filters])
      return async () => {
        await client.endAsync(true)
      }
    },
  }
}

async function loadMqtt(): Promise<typeof import('mqtt')> {
  const loaded = await optionalPackage('mqtt', 'an MQTT feed', () => import('mqtt'))
  return (loaded.default ?? loaded) as unknown as typeof import('mqtt')
}

/** The first connection must succeed within a time limit; later ones are attempted indefinitely. */
function connected(client: MqttClient, url: string): Promise<void> {
  return new Promise((resolve, reject) => {
    let reason = `no response within ${connectMs} ms`
    const timer = setTimeout(() => finish(feedErrors.feedUnreachable(shownUrl(url), reason)), connectMs)
    const onError = (error: Error & { code?: string | number }) => {
      reason = error.message || String(error.code ?? error)
      // An unreachable broker, or one that refuses, ends the wait.
      finish(feedErrors.feedUnreachable(shownUrl(url), reason))
    }
    const onConnect = () => finish()
    const finish = (error?: Error) => {
      clearTimeout(timer)
      client.removeListener('connect', onConnect)
      client.removeListener('error', onError)
      if (!error) return resolve()
      client.on('error', () => {})
      client.end(true)
      reject(error)
    }
    client.once('connect', onConnect)
    client.on('error', onError)
  })
}
