import type { IClientOptions, MqttClient } from 'mqtt'
import { optionalPackage } from '../../optional-packages.js'
import { feedErrors } from './errors.js'
import type { PushingSource } from './source.js'

export interface MqttAddress {
  /** Without user, password and topic. */
  readonly url: string
  readonly urlSetting: string
  readonly userSetting: string
  readonly passwordSetting: string
  /** What stood in the address. */
  readonly user?: string
  readonly password?: string
}

const connectMs = 5000
const reconnectMs = 1000

export const isMqttAddress = (text: string): boolean => /^(mqtts?|wss?):\/\//.test(text)

/**
 * An MQTT broker as a source: one connection, found again by itself when it is lost.
 *
 * @example sharedFeed(mqttSource('mqtt://127.0.0.1:1883'), { name: 'scales', channels })
 */
export const mqttSource = (given: string | MqttAddress): PushingSource => {
  const address =
    typeof given === 'string' ? { url: given, urlSetting: '', userSetting: '', passwordSetting: '' } : given
  return sourceAt(address)
}

const sourceAt = (address: MqttAddress): PushingSource => ({
  async open(sink, { settings, filters, signal }) {
    const url = settings[address.urlSetting] || address.url
    const { connect } = await loadMqtt()
    const username = settings[address.userSetting] || address.user
    const password = settings[address.passwordSetting] || address.password
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
})

async function loadMqtt(): Promise<typeof import('mqtt')> {
  const loaded = await optionalPackage('mqtt', 'an MQTT feed', () => import('mqtt'))
  return (loaded.default ?? loaded) as unknown as typeof import('mqtt')
}

/** The first time has to work within a while; later, it is looked for as long as it takes. */
function connected(client: MqttClient, url: string): Promise<void> {
  return new Promise((resolve, reject) => {
    let reason = `no response within ${connectMs} ms`
    const timer = setTimeout(() => finish(feedErrors.feedUnreachable(shownUrl(url), reason)), connectMs)
    const onError = (error: Error & { code?: string | number }) => {
      reason = error.message || String(error.code ?? error)
      // A broker that is not there, or refuses, is not waited for.
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

export const shownUrl = (url: string): string => url.replace(/\/\/[^@/]*@/, '//')

/** What a message says: JSON, else the text; bytes that are no text as base64. */
export function valueIn(payload: Uint8Array): unknown {
  let text: string
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(payload)
  } catch {
    return Buffer.from(payload).toString('base64')
  }
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}
