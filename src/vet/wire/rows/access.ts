import type { Pattern } from '../pattern.js'
import type { HttpStep, Requirement } from '../requirement.js'

const both = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }
const hello = {
  jsonrpc: '2.0',
  id: 1,
  method: 'initialize',
  params: { protocolVersion: '{{revision}}', capabilities: {}, clientInfo: { name: 'jexo-vet', version: '1' } },
}
/** These requests carry a token only if the check says so. */
const bare = (
  method: string,
  headers: Readonly<Record<string, string>>,
  more: Partial<HttpStep> = {},
): HttpStep => ({
  method,
  headers,
  isBare: true,
  ...more,
})
const withToken = (token: string) => bare('POST', { ...both, authorization: token }, { body: hello })
const challenge: Pattern = { 'www-authenticate': { $matches: '^(?:.*, *)?Bearer\\b' } }
const invalidToken: Pattern = { 'www-authenticate': { $matches: 'Bearer\\b.*\\berror="?invalid_token"?' } }
const refused = { error: { message: { $is: 'string' } } }

interface AccessRow {
  id: string
  says: string
  section?: string
  asks: HttpStep
  status: Pattern
  headers?: Pattern
  body?: Pattern
  opening?: 'ready'
  needs?: Requirement['needs']
}
const row = ({
  id,
  says,
  section = 'Access Token Usage',
  asks,
  status,
  headers,
  body,
  opening,
  needs,
}: AccessRow) => ({
  id: `access/${id}`,
  says,
  section: `Authorization: ${section}`,
  transports: ['http'] as const,
  needs: needs ?? (['access'] as const),
  opening: opening ?? ('none' as const),
  exchange: [
    {
      request: asks,
      response: { status, ...(headers === undefined ? {} : { headers }), ...(body === undefined ? {} : { body }) },
    },
  ],
})

/** Authorization of servers over HTTP that require a token. */
export const accessRows: readonly Requirement[] = [
  row({
    id: 'no-token',
    says: 'A request without a token gets 401 and a Bearer challenge without an error code.',
    asks: bare('POST', both, { body: hello }),
    status: 401,
    headers: { 'www-authenticate': { $matches: '^(?=(?:.*, *)?Bearer\\b)(?!.*\\berror=)' } },
  }),
  row({
    id: 'no-token-get',
    says: 'A GET without a token gets 401.',
    asks: bare('GET', { accept: 'text/event-stream' }),
    status: { $oneOf: [401, 405] },
  }),
  row({
    id: 'no-token-delete',
    says: 'A DELETE without a token gets 401.',
    asks: bare('DELETE', {}),
    status: { $oneOf: [401, 405] },
  }),
  row({
    id: 'session-without-token',
    says: 'A session does not replace a token: a request in a session without a token gets 401.',
    opening: 'ready',
    asks: bare(
      'POST',
      { ...both, 'mcp-session-id': '{{session}}' },
      { body: { jsonrpc: '2.0', id: 1, method: 'ping' } },
    ),
    status: 401,
    headers: challenge,
  }),
  row({
    id: 'delete-without-token',
    says: 'A session cannot be ended without a token.',
    opening: 'ready',
    asks: bare('DELETE', { 'mcp-session-id': '{{session}}' }),
    status: { $oneOf: [401, 405] },
  }),
  row({
    id: 'not-a-token',
    says: 'An invalid token gets 401 and the error invalid_token.',
    section: 'Token Handling',
    asks: withToken('Bearer this-is-not-a-token'),
    status: 401,
    headers: invalidToken,
    body: { $oneOf: [refused, { $is: 'string' }, { $is: 'object' }, { $is: 'absent' }] },
  }),
  row({
    id: 'unsigned-token',
    says: 'A token without a signature (alg "none") gets 401.',
    section: 'Token Handling',
    asks: withToken('Bearer {{access.unsigned}}'),
    status: 401,
    headers: invalidToken,
  }),
  row({
    id: 'forged-token',
    says: 'A token signed with an unknown key gets 401.',
    section: 'Token Handling',
    asks: withToken('Bearer {{access.forged}}'),
    status: 401,
    headers: invalidToken,
  }),
  row({
    id: 'other-scheme',
    says: 'Credentials of another scheme get 401.',
    asks: withToken('Basic YWRhOnNlY3JldA=='),
    status: 401,
    headers: challenge,
  }),
  row({
    id: 'token-in-query',
    says: 'A token in the query of the URL is ignored.',
    needs: ['access', 'accessToken'],
    asks: bare('POST', both, { body: hello, path: '{{accessToken.query}}' }),
    status: 401,
  }),
  row({
    id: 'challenge-names-metadata',
    says: 'The challenge names the metadata of the server (resource_metadata), if a client can sign in.',
    section: 'Protected Resource Metadata Discovery Requirements',
    needs: ['access', 'accessMetadata'],
    asks: bare('POST', both, { body: hello }),
    status: 401,
    headers: { 'www-authenticate': { $matches: 'Bearer\\b.*\\bresource_metadata="https?://[^"]+"' } },
  }),
  row({
    id: 'metadata',
    says: 'The metadata at a well-known URL names the URL of the server and at least one authorization server.',
    section: 'Authorization Server Location',
    needs: ['accessMetadata'],
    asks: bare('GET', {}, { path: '{{accessMetadata.path}}' }),
    status: 200,
    headers: { 'content-type': { $matches: '^application/json\\b' } },
    body: {
      resource: '{{accessMetadata.resource}}',
      authorization_servers: { $has: [{ $matches: '^https?://' }] },
    },
  }),
  row({
    id: 'metadata-for-pages',
    says: 'Pages of any origin may read the metadata.',
    section: 'Authorization Server Location',
    needs: ['accessMetadata'],
    asks: bare('GET', { origin: 'https://page.example' }, { path: '{{accessMetadata.path}}' }),
    status: 200,
    headers: { 'access-control-allow-origin': { $oneOf: ['*', 'https://page.example'] } },
  }),
]
