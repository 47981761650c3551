import { feedErrors } from '../errors.js'
import type { PushingSource } from '../source.js'
import type { FeedAddress } from './address.js'
import { growingFileSource } from './growing-file.js'
import { httpStreamSource } from './http-stream.js'
import type { MessageOptions } from './limits.js'
import { mqttSource } from './mqtt.js'
import { type OpcUaOptions, opcUaSource } from './opc-ua/opc-ua.js'
import { webSocketSource } from './web-socket.js'
import { webhookSource } from './webhook.js'

export interface AddressedOptions extends MessageOptions, OpcUaOptions {}

const schemes: Readonly<Record<string, (address: FeedAddress, options: AddressedOptions) => PushingSource>> = {
  mqtt: mqttSource,
  mqtts: mqttSource,
  ws: mqttSource,
  wss: mqttSource,
  'ws+json': webSocketSource,
  'wss+json': webSocketSource,
  http: httpStreamSource,
  https: httpStreamSource,
  webhook: webhookSource,
  file: growingFileSource,
  'opc.tcp': opcUaSource,
}

const schemeOf = (text: string) => /^([a-z][a-z\d+.-]*):\/\//i.exec(text)?.[1]?.toLowerCase() ?? ''

/** True for an address that can only be a feed; HTTP and files are feeds only if a feed is expected. */
export const isFeedAddress = (text: string): boolean => {
  const scheme = schemeOf(text)
  return Object.hasOwn(schemes, scheme) && !/^(https?|file)$/.test(scheme)
}

/** The source at an address. Throws a `JexoError` for other kinds of addresses. */
export function sourceAtAddress(address: FeedAddress, options: AddressedOptions): PushingSource {
  const make = Object.hasOwn(schemes, schemeOf(address.url)) ? schemes[schemeOf(address.url)] : undefined
  if (make === undefined) throw feedErrors.feedAddress(address.url)
  return make(address, options)
}
