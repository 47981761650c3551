import { notification, type Requirement, refused, request, result } from '../requirement.js'

const hello = (protocolVersion: unknown, more: object = {}) => ({
  protocolVersion,
  capabilities: {},
  clientInfo: { name: 'jexo-vet', version: '1' },
  ...more,
})

/** Opening, capabilities, implementation info (Lifecycle). */
export const lifecycleRows: readonly Requirement[] = [
  {
    id: 'lifecycle/initialize',
    says: 'initialize returns the requested version, with capabilities and server info.',
    section: 'Lifecycle: Initialization',
    opening: 'none',
    exchange: [
      request('initialize', hello('{{revision}}')),
      result({
        protocolVersion: '{{revision}}',
        capabilities: { $is: 'object' },
        serverInfo: { name: { $is: 'string' }, version: { $is: 'string' } },
      }),
    ],
  },
  ...(['1999-01-01', '2999-12-31', 'R4', ''] as const).map(
    (version): Requirement => ({
      id: `lifecycle/unknown-version-${version || 'empty'}`,
      says: `A version that the server does not know (${JSON.stringify(version)}) gets the response of a known version.`,
      section: 'Lifecycle: Version Negotiation',
      opening: 'none',
      // The server chooses the revision: it may know newer ones than this table, or only older ones.
      exchange: [
        request('initialize', hello(version)),
        result({ protocolVersion: { $matches: '^20\\d\\d-\\d\\d-\\d\\d$' } }),
      ],
    }),
  ),
  {
    id: 'lifecycle/version-missing',
    says: 'initialize without a version is refused with -32602.',
    section: 'Lifecycle: Version Negotiation',
    opening: 'none',
    exchange: [
      request('initialize', { capabilities: {}, clientInfo: { name: 'x', version: '1' } }),
      refused(-32602),
    ],
  },
  {
    id: 'lifecycle/no-params',
    says: 'initialize without parameters is refused with -32602, and can be sent again.',
    section: 'Lifecycle: Initialization',
    opening: 'none',
    transports: ['stdio', 'two-endpoint'],
    exchange: [
      request('initialize'),
      refused(-32602),
      request('initialize', hello('{{revision}}'), '{{id2}}'),
      result({ protocolVersion: '{{revision}}' }, '{{id2}}'),
    ],
  },
  {
    id: 'lifecycle/request-before-initialize',
    says: 'A request before initialize is refused with -32600.',
    section: 'Lifecycle: Initialization',
    opening: 'none',
    transports: ['stdio', 'two-endpoint'],
    exchange: [request('tools/list'), refused(-32600)],
  },
  {
    id: 'lifecycle/ping-before-initialize',
    says: 'A ping before initialize is answered.',
    section: 'Lifecycle: Initialization',
    opening: 'none',
    transports: ['stdio', 'two-endpoint'],
    exchange: [request('ping'), result({})],
  },
  {
    id: 'lifecycle/batch-before-initialize',
    says: 'A batch before initialize is refused.',
    section: 'Lifecycle: Initialization',
    opening: 'none',
    transports: ['stdio'],
    exchange: [
      { send: [{ jsonrpc: '2.0', id: '{{id}}', method: 'ping' }] },
      { expect: { id: { $is: 'absent' }, error: { code: -32600 } } },
    ],
  },
  {
    id: 'lifecycle/request-before-initialized',
    says: 'A request between the response to initialize and initialized is answered, since POSTs may arrive in any order.',
    section: 'Lifecycle: Initialization',
    opening: 'initializing',
    exchange: [request('tools/list'), result({ tools: { $is: 'array' } })],
  },
  {
    id: 'lifecycle/second-initialize',
    says: 'A second initialize on a session is refused with -32600, and the session stays open.',
    section: 'Lifecycle: Initialization',
    exchange: [
      request('initialize', hello('{{revision}}')),
      refused(-32600),
      request('ping', undefined, '{{id2}}'),
      result({}, '{{id2}}'),
    ],
  },
  {
    id: 'lifecycle/initialize-not-cancelled',
    says: 'initialize cannot be cancelled.',
    section: 'Lifecycle: Initialization',
    opening: 'none',
    transports: ['stdio', 'two-endpoint'],
    exchange: [
      request('initialize', hello('{{revision}}')),
      notification('notifications/cancelled', { requestId: '{{id}}' }),
      result({ protocolVersion: '{{revision}}' }),
    ],
  },
  {
    id: 'lifecycle/unknown-capabilities',
    says: 'Unknown capabilities and client details are ignored.',
    section: 'Lifecycle: Capability Negotiation',
    opening: 'none',
    exchange: [
      request(
        'initialize',
        hello('{{revision}}', {
          capabilities: { hives: { many: true }, experimental: { 'x/y': {} } },
          clientInfo: { name: 'x', version: '1', colour: 'blue' },
        }),
      ),
      result({ protocolVersion: '{{revision}}' }),
    ],
  },
  {
    id: 'lifecycle/list-changed-declared',
    says: 'A server declares tools, resources and prompts with listChanged if it has any.',
    section: 'Lifecycle: Capability Negotiation',
    opening: 'none',
    needs: ['tool', 'resource', 'prompt'],
    exchange: [
      request('initialize', hello('{{revision}}')),
      result({
        capabilities: {
          tools: { listChanged: true },
          resources: { listChanged: true, subscribe: true },
          prompts: { listChanged: true },
          logging: {},
        },
      }),
    ],
  },
  {
    id: 'lifecycle/completions-declared',
    says: 'From revision 2025-03-26 on, completions is declared if an argument has completion.',
    section: 'Lifecycle: Capability Negotiation',
    from: 'R2',
    opening: 'none',
    needs: ['completion'],
    exchange: [request('initialize', hello('{{revision}}')), result({ capabilities: { completions: {} } })],
  },
  {
    id: 'lifecycle/completions-not-in-r1',
    says: 'Revision 2024-11-05 has no completions capability, and none is sent.',
    section: 'Lifecycle: Capability Negotiation',
    to: 'R1',
    opening: 'none',
    exchange: [
      request('initialize', hello('{{revision}}')),
      result({ capabilities: { completions: { $is: 'absent' } } }),
    ],
  },
  {
    id: 'lifecycle/no-title-before-r3',
    says: 'Revisions before 2025-06-18 have no title in server info, and none is sent.',
    section: 'Lifecycle: Initialization',
    to: 'R2',
    opening: 'none',
    exchange: [request('initialize', hello('{{revision}}')), result({ serverInfo: { title: { $is: 'absent' } } })],
  },
  {
    id: 'lifecycle/no-icons-before-r4',
    says: 'Before revision 2025-11-25, server info has no icons, description or websiteUrl.',
    section: 'Lifecycle: Initialization',
    to: 'R3',
    opening: 'none',
    exchange: [
      request('initialize', hello('{{revision}}')),
      result({
        serverInfo: { icons: { $is: 'absent' }, description: { $is: 'absent' }, websiteUrl: { $is: 'absent' } },
      }),
    ],
  },
  {
    id: 'lifecycle/no-extensions',
    says: 'extensions and tasks are declared only if the revision has them.',
    section: 'Lifecycle: Capability Negotiation',
    to: 'R3',
    opening: 'none',
    exchange: [
      request('initialize', hello('{{revision}}')),
      result({ capabilities: { extensions: { $is: 'absent' }, tasks: { $is: 'absent' } } }),
    ],
  },
]
