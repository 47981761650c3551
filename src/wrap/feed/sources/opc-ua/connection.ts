import { existsSync } from 'node:fs'
import { mkdir, readFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { homedir } from 'node:os'
import { join } from 'node:path'
import type { ClientSession, OPCUACertificateManager, UserIdentityInfo } from 'node-opcua'
import { clientSide, optionalPackage } from '../../../../optional-packages.js'
import { feedErrors } from '../../errors.js'
import type { OpcUaSecurity } from './security.js'

export type OpcUa = typeof import('node-opcua')
export interface OpcUaConnection {
  readonly opcua: OpcUa
  readonly session: ClientSession
  /** Resolves with the reason when the connection ends. */
  readonly ended: Promise<string>
  close(): Promise<void>
}

const connectMs = 10_000
const sessionMs = 60_000

async function loadOpcUa(): Promise<OpcUa> {
  const client = clientPackages()
  const name = 'node-opcua-debug'
  silence(client?.debug ?? (await import(name).catch(() => ({}))))
  const loaded =
    client?.load() ?? (await optionalPackage('node-opcua', 'an OPC UA feed', () => import('node-opcua')))
  const opcua = ((loaded as { default?: OpcUa }).default ?? loaded) as OpcUa
  silence(opcua as object)
  return opcua
}

/** The client part of `node-opcua`, which loads twice as fast as the whole; undefined if it is not found. */
function clientPackages(): { debug: object; load(): OpcUa } | undefined {
  try {
    const require = createRequire(createRequire(import.meta.url).resolve('node-opcua'))
    const names = clientSide['node-opcua'] ?? []
    for (const name of names) require.resolve(name)
    const load = () => Object.assign({}, ...names.map((name) => require(name))) as OpcUa
    return { debug: require('node-opcua-debug'), load }
  } catch {
    return undefined
  }
}

/** The package writes to stdout, even while it is loaded; errors are reported otherwise. */
function silence(debug: Readonly<Record<string, unknown>> | object): void {
  for (const logger of ['setDebugLogger', 'setWarningLogger', 'setErrorLogger', 'setTraceLogger']) {
    const set = (debug as Readonly<Record<string, unknown>>)[logger]
    if (typeof set === 'function') set(() => {})
  }
}

/** Connects and opens a session. Rejects with an `Error` that contains the reason. */
export async function connectOpcUa(
  url: string,
  login: { user?: string; password?: string },
  security: OpcUaSecurity,
): Promise<OpcUaConnection> {
  const opcua = await loadOpcUa()
  const { mode = 'None', policy = mode === 'None' ? 'None' : 'Basic256Sha256' } = security
  const manager = await certificates(opcua, security)
  const client = opcua.OPCUAClient.create({
    applicationName: 'Jexo',
    clientName: 'Jexo',
    endpointMustExist: false,
    securityMode: choice(opcua.MessageSecurityMode, mode, 'security mode') as never,
    securityPolicy: choice(opcua.SecurityPolicy, policy, 'security policy') as never,
    clientCertificateManager: manager,
    ...(security.certificate && security.key
      ? { certificateFile: security.certificate, privateKeyFile: security.key }
      : {}),
    // The caller reconnects, and browses the nodes again.
    connectionStrategy: { maxRetry: 0, initialDelay: 500, maxDelay: 500 },
    keepSessionAlive: true,
    requestedSessionTimeout: sessionMs,
    transportTimeout: connectMs,
    defaultTransactionTimeout: connectMs,
  })
  const ended = new Promise<string>((resolve) => {
    client.on('connection_lost' as never, (() => resolve('the server closed the connection')) as never)
    client.on(
      'close' as never,
      ((error?: Error) => resolve(error?.message ?? 'the connection was closed')) as never,
    )
  })
  const close = () => within(client.disconnect(), 3000).catch(() => {})
  try {
    await within(client.connect(url), connectMs)
    const session = await within(client.createSession(identityOf(opcua, login)), connectMs)
    session.on('session_closed', () => void client.disconnect().catch(() => {}))
    return { opcua, session, ended, close }
  } catch (error) {
    await close()
    throw new Error(reasonOf(error, security))
  }
}

function identityOf(opcua: OpcUa, { user, password = '' }: { user?: string; password?: string }): UserIdentityInfo {
  if (user === undefined) return { type: opcua.UserTokenType.Anonymous }
  return { type: opcua.UserTokenType.UserName, userName: user, password }
}

/** A name of an enumeration, case-insensitive. */
function choice(all: object, given: string, what: string): unknown {
  const found = Object.entries(all).find(([name]) => name.toLowerCase() === given.toLowerCase())
  if (!found)
    throw feedErrors.opcUaSetting(
      what,
      given,
      Object.keys(all).filter((name) => !/^(\d+|Invalid)$/.test(name)),
    )
  return found[1]
}

/** Own and trusted certificates, in a separate folder. */
async function certificates(opcua: OpcUa, { serverCertificate }: OpcUaSecurity): Promise<OPCUACertificateManager> {
  const rootFolder = join(process.env.XDG_DATA_HOME ?? join(homedir(), '.local/share'), 'jexo', 'opc-ua')
  await mkdir(rootFolder, { recursive: true, mode: 0o700 })
  const manager = new opcua.OPCUACertificateManager({ rootFolder, automaticallyAcceptUnknownCertificate: false })
  await manager.initialize()
  if (serverCertificate) {
    if (!existsSync(serverCertificate)) throw new Error(`the file ${serverCertificate} does not exist`)
    await manager.trustCertificate(certificateIn(await readFile(serverCertificate)))
  }
  return manager
}

/** In PEM or DER format. */
function certificateIn(content: Buffer): Buffer {
  const [, base64] =
    /-----BEGIN CERTIFICATE-----([\s\S]+?)-----END CERTIFICATE-----/.exec(content.toString('latin1')) ?? []
  return base64 === undefined ? content : Buffer.from(base64, 'base64')
}

function reasonOf(error: unknown, { serverCertificate, serverCertificateSetting }: OpcUaSecurity): string {
  const { message } = error as Error
  if (/BadCertificateUntrusted|not trusted|untrusted/i.test(message) && !serverCertificate)
    return `the certificate of the server is not trusted; set ${serverCertificateSetting} to its file`
  const [refused] = /ECONNREFUSED|ENOTFOUND|EHOSTUNREACH|ETIMEDOUT|ECONNRESET/.exec(message) ?? []
  return refused ?? message.split('\n')[0]?.slice(0, 300).replace(/\.$/, '') ?? message
}

function within<T>(work: Promise<T>, ms: number): Promise<T> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_resolve, reject) => {
    timer = setTimeout(() => reject(new Error(`no response within ${ms} ms`)), ms)
  })
  return Promise.race([work, late]).finally(() => clearTimeout(timer))
}
