import { canonicalUri } from '../access/canonical-uri.js'
import { fetchBounded, fetchObject } from '../access/issuer-metadata.js'
import { keptSignIn } from '../access/sign-in/kept-sign-in.js'
import type { Headers } from './wire/http-talk.js'
import type { Subject } from './wire/requirement.js'

/** The headers of requests to a URL: the given ones, and the token of `jexo sign-in`. */
export async function headersFor(url: string, headers: Headers = {}): Promise<Headers> {
  if (Object.keys(headers).some((name) => name.toLowerCase() === 'authorization')) return headers
  const token = await keptSignIn().token(new URL(url))
  return token === undefined ? headers : { ...headers, authorization: `Bearer ${token}` }
}

/** The subject of the authorization checks; empty if the server requires no token. */
export async function accessSubject(url: string, headers: Headers): Promise<Partial<Subject>> {
  const response = await fetchBounded(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: '{}',
  })
  if (response.status !== 401) return {}
  const [, token] = /^Bearer (\S+)$/i.exec(headerIn(headers, 'authorization') ?? '') ?? []
  const resource = canonicalUri(url)
  const metadata = await metadataPath(new URL(url))
  return {
    access: { unsigned: unsignedToken(resource), forged: forgedToken(resource) },
    ...(token === undefined ? {} : { accessToken: { query: queryWith(url, token) } }),
    ...(metadata === undefined ? {} : { accessMetadata: { path: metadata, resource } }),
  }
}

const headerIn = (headers: Headers, name: string) =>
  Object.entries(headers).find(([key]) => key.toLowerCase() === name)?.[1]

async function metadataPath({ origin, pathname }: URL): Promise<string | undefined> {
  const wellKnown = '/.well-known/oauth-protected-resource'
  for (const path of new Set([`${wellKnown}${pathname === '/' ? '' : pathname}`, wellKnown])) {
    const { status, value } = await fetchObject(origin + path).catch(() => ({ status: 0, value: undefined }))
    if (status === 200 && value) return path
  }
  return undefined
}

function queryWith(url: string, token: string): string {
  const { pathname, searchParams } = new URL(url)
  searchParams.set('access_token', token)
  return `${pathname}?${searchParams}`
}

const encoded = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url')

const claims = (resource: string) => {
  const now = Math.floor(Date.now() / 1000)
  return { iss: 'https://id.example', sub: 'jexo-vet', aud: resource, iat: now, exp: now + 600 }
}
const unsignedToken = (resource: string) =>
  `${encoded({ alg: 'none', typ: 'at+jwt' })}.${encoded(claims(resource))}.`
const forgedToken = (resource: string) =>
  `${encoded({ alg: 'ES256', typ: 'at+jwt', kid: 'jexo-vet' })}.${encoded(claims(resource))}.${'A'.repeat(86)}`
