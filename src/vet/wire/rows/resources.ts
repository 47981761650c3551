import { call, notification, type Requirement, refused, request, result } from '../requirement.js'

const absent = { $is: 'absent' }

/** Resources, prompts and roots (Server Features, Client Features). */
export const resourceRows: readonly Requirement[] = [
  {
    id: 'resources/list',
    says: 'Every resource has a URI and a name.',
    section: 'Resources: Listing Resources',
    needs: ['resource'],
    exchange: [
      request('resources/list'),
      result({ resources: { $each: { uri: { $matches: '^[a-z][a-z0-9+.-]*:' }, name: { $is: 'string' } } } }),
    ],
  },
  {
    id: 'resources/templates',
    says: 'Every template has a URI template and a name.',
    section: 'Resources: Resource Templates',
    needs: ['template'],
    exchange: [
      request('resources/templates/list'),
      result({ resourceTemplates: { $each: { uriTemplate: { $is: 'string' }, name: { $is: 'string' } } } }),
    ],
  },
  {
    id: 'resources/read',
    says: 'Reading a resource returns contents, each with its URI and a text or a blob.',
    section: 'Resources: Reading Resources',
    needs: ['resource'],
    exchange: [
      request('resources/read', { uri: '{{resource.uri}}' }),
      result({ contents: { $has: [{ uri: '{{resource.uri}}', text: { $is: 'string' } }] } }),
    ],
  },
  {
    id: 'resources/read-bytes',
    says: 'Binary contents are sent as base64.',
    section: 'Resources: Reading Resources',
    needs: ['binaryResource'],
    exchange: [
      request('resources/read', { uri: '{{binaryResource.uri}}' }),
      result({ contents: { $has: [{ blob: { $matches: '^[A-Za-z0-9+/]*={0,2}$' }, text: absent }] } }),
    ],
  },
  {
    id: 'resources/read-template',
    says: 'A URI expanded from a template can be read.',
    section: 'Resources: Reading Resources',
    needs: ['template'],
    exchange: [
      request('resources/read', { uri: '{{template.uri}}' }),
      result({ contents: { $has: [{ uri: '{{template.uri}}' }] } }),
    ],
  },
  {
    id: 'resources/unknown',
    says: 'Reading an unknown resource gets the error -32002 with its URI in data.',
    section: 'Resources: Error Handling',
    needs: ['resource'],
    exchange: [
      request('resources/read', { uri: 'nobody://knows/this' }),
      refused(-32002, { data: { uri: 'nobody://knows/this' } }),
    ],
  },
  ...(
    [
      ['no-uri', 'resources/read', {}],
      ['uri-no-text', 'resources/read', { uri: 5 }],
      ['subscribe-no-uri', 'resources/subscribe', {}],
      ['unsubscribe-no-uri', 'resources/unsubscribe', { uri: null }],
    ] as const
  ).map(
    ([name, method, params]): Requirement => ({
      id: `resources/${name}`,
      says: `${method} without a string as its URI (${JSON.stringify(params)}) is refused with -32602.`,
      section: 'Resources: Error Handling',
      needs: ['resource'],
      exchange: [request(method, params), refused(-32602)],
    }),
  ),
  {
    id: 'resources/subscribe-unknown',
    says: 'A subscription to an unknown resource gets the error -32002.',
    section: 'Resources: Subscriptions',
    needs: ['resource'],
    exchange: [request('resources/subscribe', { uri: 'nobody://knows/this' }), refused(-32002)],
  },
  {
    id: 'resources/subscribe',
    says: 'Subscribers of a resource are notified when it changes, until they unsubscribe.',
    section: 'Resources: Subscriptions',
    needs: ['touchingTool'],
    exchange: [
      request('resources/subscribe', { uri: '{{touchingTool.uri}}' }, 'on-{{id}}'),
      result({}, 'on-{{id}}'),
      call('touchingTool'),
      { expect: { method: 'notifications/resources/updated', params: { uri: '{{touchingTool.uri}}' } } },
      request('resources/unsubscribe', { uri: '{{touchingTool.uri}}' }, 'off-{{id}}'),
      result({}, 'off-{{id}}'),
    ],
  },
  {
    id: 'resources/not-subscribed',
    says: 'Sessions without a subscription are not notified.',
    section: 'Resources: Subscriptions',
    needs: ['touchingTool'],
    isLast: true,
    exchange: [
      call('touchingTool'),
      result({ content: { $is: 'array' } }),
      { never: { method: 'notifications/resources/updated' } },
    ],
  },
  {
    id: 'prompts/list',
    says: 'Every prompt and every argument of a prompt has a name.',
    section: 'Prompts: Listing Prompts',
    needs: ['prompt'],
    exchange: [request('prompts/list'), result({ prompts: { $each: { name: { $is: 'string' } } } })],
  },
  {
    id: 'prompts/get',
    says: 'A prompt returns messages, each with a role and one content.',
    section: 'Prompts: Getting a Prompt',
    needs: ['prompt'],
    exchange: [
      request('prompts/get', { name: '{{prompt.name}}', arguments: '{{prompt.arguments}}' }),
      result({
        messages: { $each: { role: { $matches: '^(user|assistant)$' }, content: { type: { $is: 'string' } } } },
      }),
    ],
  },
  ...(
    [
      ['unknown', { name: 'no_such_prompt', arguments: {} }],
      ['required-missing', { name: '{{prompt.name}}' }],
      ['no-name', {}],
      ['arguments-array', { name: '{{prompt.name}}', arguments: [] }],
      ['argument-no-text', { name: '{{prompt.name}}', arguments: { '{{prompt.required}}': 5 } }],
    ] as const
  ).map(
    ([name, params]): Requirement => ({
      id: `prompts/${name}`,
      says: `An invalid prompts/get (${name.replaceAll('-', ' ')}) is refused with -32602.`,
      section: 'Prompts: Error Handling',
      needs: ['prompt'],
      exchange: [request('prompts/get', params), refused(-32602)],
    }),
  ),
  {
    id: 'prompts/required-named',
    says: 'The error for a missing argument of a prompt names the argument.',
    section: 'Prompts: Error Handling',
    needs: ['prompt'],
    exchange: [
      request('prompts/get', { name: '{{prompt.name}}', arguments: {} }),
      refused(-32602, { message: { $matches: '{{prompt.required}}' } }),
    ],
  },
  {
    id: 'features/roots-changed-heard',
    says: 'notifications/roots/list_changed gets no response.',
    section: 'Roots: Root List Changes',
    exchange: [notification('notifications/roots/list_changed'), { never: { error: { $is: 'present' } } }],
  },
  ...['tasks/list', 'tasks/get', 'roots/list', 'sampling/createMessage', 'elicitation/create'].map(
    (method): Requirement => ({
      id: `features/not-offered-${method.replace('/', '-')}`,
      says: `${method}, which this server did not declare, gets the error -32601.`,
      section: 'Lifecycle: Capability Negotiation',
      ...(method.startsWith('tasks/') ? { needs: ['taskFree'] as const } : {}),
      exchange: [request(method, {}), refused(-32601)],
    }),
  ),
]
