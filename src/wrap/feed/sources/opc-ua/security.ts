import type { FeedAddress } from '../address.js'

/** Security options of a connection. */
export interface OpcUaSecurity {
  /** `None`, `Sign` or `SignAndEncrypt`. */
  readonly mode?: string | undefined
  /** Such as `Basic256Sha256`. */
  readonly policy?: string | undefined
  /** Files of the client's certificate and key (PEM); generated if they are missing. */
  readonly certificate?: string | undefined
  readonly key?: string | undefined
  /** File of the certificate that the server must have. */
  readonly serverCertificate?: string | undefined
  /** Name of the setting of that file. */
  readonly serverCertificateSetting?: string
}
/** Additional settings of an OPC UA source, with their descriptions. */
export const opcUaSettings = {
  SECURITY_MODE: 'mode',
  SECURITY_POLICY: 'policy',
  CERTIFICATE: 'certificate',
  KEY: 'key',
  SERVER_CERTIFICATE: 'serverCertificate',
} as const

export function securityIn(
  address: FeedAddress,
  settings: Readonly<Record<string, string | undefined>>,
): OpcUaSecurity {
  const prefix = address.urlSetting.replace(/_URL$/, '')
  return {
    ...Object.fromEntries(
      Object.entries(opcUaSettings).map(([name, field]) => [field, settings[`${prefix}_${name}`] || undefined]),
    ),
    serverCertificateSetting: `${prefix}_SERVER_CERTIFICATE`,
  }
}
