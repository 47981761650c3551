import { call, notification, type Requirement, refused, request, result } from '../requirement.js'

const absent = { $is: 'absent' }
const failed = { isError: true, content: { $has: [{ type: 'text', text: { $is: 'string' } }] } }

/** Tools, resources, prompts (Server Features). */
export const featureRows: readonly Requirement[] = [
  {
    id: 'tools/list',
    says: 'Every tool has a name that keeps to the rule and an object as its input schema.',
    section: 'Tools: Listing Tools',
    needs: ['tool'],
    exchange: [
      request('tools/list'),
      result({
        tools: { $each: { name: { $matches: '^[A-Za-z0-9_.-]{1,128}$' }, inputSchema: { type: 'object' } } },
      }),
    ],
  },
  {
    id: 'tools/no-annotations-in-r1',
    says: 'R1 has no annotations on tools.',
    section: 'Tools: Tool',
    to: 'R1',
    needs: ['tool'],
    exchange: [request('tools/list'), result({ tools: { $each: { annotations: absent } } })],
  },
  {
    id: 'tools/no-output-schema-before-r3',
    says: 'Before R3 there is no outputSchema, title or _meta on a tool.',
    section: 'Tools: Output Schema',
    to: 'R2',
    needs: ['tool'],
    exchange: [
      request('tools/list'),
      result({ tools: { $each: { outputSchema: absent, title: absent, _meta: absent } } }),
    ],
  },
  {
    id: 'tools/no-icons-before-r4',
    says: 'Before R4 there are no icons and no execution on a tool.',
    section: 'Tools: Tool',
    to: 'R3',
    needs: ['tool'],
    exchange: [request('tools/list'), result({ tools: { $each: { icons: absent, execution: absent } } })],
  },
  {
    id: 'tools/hints',
    says: 'Annotations of a tool that reads say so.',
    section: 'Tools: Tool',
    from: 'R2',
    needs: ['tool'],
    exchange: [
      request('tools/list'),
      result({ tools: { $has: [{ name: '{{tool.name}}', annotations: { readOnlyHint: true } }] } }),
    ],
  },
  {
    id: 'tools/call',
    says: 'A call is answered with content.',
    section: 'Tools: Calling Tools',
    needs: ['tool'],
    exchange: [call('tool'), result({ content: { $is: 'array' }, isError: { $oneOf: [absent, false] } })],
  },
  {
    id: 'tools/structured',
    says: 'A tool with an output schema gives structured content, and the same JSON as text.',
    section: 'Tools: Structured Content',
    from: 'R3',
    needs: ['structuredTool'],
    exchange: [
      call('structuredTool'),
      result({
        structuredContent: { $is: 'object' },
        content: { $has: [{ type: 'text', text: { $matches: '^\\{[\\s\\S]*\\}$' } }] },
      }),
    ],
  },
  {
    id: 'tools/structured-not-before-r3',
    says: 'R1 and R2 get structured content as text alone.',
    section: 'Tools: Structured Content',
    to: 'R2',
    needs: ['structuredTool'],
    exchange: [
      call('structuredTool'),
      result({
        structuredContent: absent,
        content: { $has: [{ type: 'text', text: { $matches: '^\\{[\\s\\S]*\\}$' } }] },
      }),
    ],
  },
  {
    id: 'tools/unknown',
    says: 'An unknown tool is refused with -32602 and a message that names it.',
    section: 'Tools: Error Handling',
    needs: ['tool'],
    exchange: [
      request('tools/call', { name: 'no_such_tool_{{id2}}', arguments: {} }),
      refused(-32602, { message: { $matches: 'no_such_tool_' } }),
    ],
  },
  {
    id: 'tools/wrong-arguments',
    says: 'Arguments that the schema refuses are a result with isError whose text names the field.',
    section: 'Tools: Error Handling',
    needs: ['tool'],
    exchange: [
      request('tools/call', { name: '{{tool.name}}', arguments: '{{tool.wrong}}' }),
      result({ isError: true, content: { $has: [{ type: 'text', text: { $matches: '{{tool.field}}' } }] } }),
    ],
  },
  ...(
    [
      ['no-name', { arguments: {} }],
      ['name-no-text', { name: 5 }],
      ['arguments-array', { name: '{{tool.name}}', arguments: [] }],
      ['arguments-text', { name: '{{tool.name}}', arguments: 'x' }],
    ] as const
  ).map(
    ([name, params]): Requirement => ({
      id: `tools/${name}`,
      says: `A malformed tools/call (${name.replaceAll('-', ' ')}) is refused with -32602.`,
      section: 'Tools: Error Handling',
      needs: ['tool'],
      exchange: [request('tools/call', params), refused(-32602)],
    }),
  ),
  {
    id: 'tools/failure',
    says: "A tool's own failure is a result with isError and a text, not a protocol error.",
    section: 'Tools: Error Handling',
    needs: ['failingTool'],
    exchange: [call('failingTool'), result(failed)],
  },
  {
    id: 'tools/no-stack',
    says: 'A failure shows no stack trace.',
    section: 'Tools: Error Handling',
    needs: ['failingTool'],
    exchange: [
      call('failingTool'),
      result({ content: { $each: { text: { $matches: '^(?![\\s\\S]*\\n\\s+at )[\\s\\S]*$' } } } }),
    ],
  },
  {
    id: 'tools/output-checked',
    says: 'A result that breaks the output schema is never sent as if it were right: isError.',
    section: 'Tools: Structured Content',
    needs: ['lyingTool'],
    exchange: [call('lyingTool'), result({ ...failed, structuredContent: absent })],
  },
  {
    id: 'tools/audio',
    says: 'Audio goes out as base64 with its type.',
    section: 'Tools: Audio Content',
    from: 'R2',
    needs: ['audioTool'],
    exchange: [
      call('audioTool'),
      result({
        content: {
          $has: [
            { type: 'audio', mimeType: { $matches: '^audio/' }, data: { $matches: '^[A-Za-z0-9+/]+={0,2}$' } },
          ],
        },
      }),
    ],
  },
  {
    id: 'tools/audio-to-r1',
    says: 'R1 has no audio: a text says that there was some.',
    section: 'Tools: Audio Content',
    to: 'R1',
    needs: ['audioTool'],
    exchange: [call('audioTool'), result({ content: { $each: { type: 'text', text: { $matches: 'audio' } } } })],
  },
  {
    id: 'tools/resource-link',
    says: 'A link to a resource has a URI and a name.',
    section: 'Tools: Resource Links',
    from: 'R3',
    needs: ['linkTool'],
    exchange: [
      call('linkTool'),
      result({ content: { $has: [{ type: 'resource_link', uri: { $is: 'string' }, name: { $is: 'string' } }] } }),
    ],
  },
  {
    id: 'tools/resource-link-before-r3',
    says: 'R1 and R2 have no resource links: a text names the URI.',
    section: 'Tools: Resource Links',
    to: 'R2',
    needs: ['linkTool'],
    exchange: [call('linkTool'), result({ content: { $each: { type: 'text', text: { $matches: '://' } } } })],
  },
  {
    id: 'tools/list-changed',
    says: 'A ready session is told when the set of tools changes.',
    section: 'Tools: List Changed Notification',
    needs: ['growingTool'],
    exchange: [call('growingTool'), { expect: { method: 'notifications/tools/list_changed' } }],
  },
  {
    id: 'tools/list-changed-not-before-ready',
    says: 'A session that has not said initialized yet is told nothing.',
    section: 'Tools: List Changed Notification',
    needs: ['growingTool'],
    opening: 'answered',
    isLast: true,
    exchange: [
      call('growingTool'),
      result({ content: { $is: 'array' } }),
      { never: { method: 'notifications/tools/list_changed' } },
    ],
  },
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
    says: 'Reading gives contents, each with its URI and a text or a blob.',
    section: 'Resources: Reading Resources',
    needs: ['resource'],
    exchange: [
      request('resources/read', { uri: '{{resource.uri}}' }),
      result({ contents: { $has: [{ uri: '{{resource.uri}}', text: { $is: 'string' } }] } }),
    ],
  },
  {
    id: 'resources/read-bytes',
    says: 'Bytes are given as base64.',
    section: 'Resources: Reading Resources',
    needs: ['binaryResource'],
    exchange: [
      request('resources/read', { uri: '{{binaryResource.uri}}' }),
      result({ contents: { $has: [{ blob: { $matches: '^[A-Za-z0-9+/]*={0,2}$' }, text: absent }] } }),
    ],
  },
  {
    id: 'resources/read-template',
    says: 'A URI that a template makes is read.',
    section: 'Resources: Reading Resources',
    needs: ['template'],
    exchange: [
      request('resources/read', { uri: '{{template.uri}}' }),
      result({ contents: { $has: [{ uri: '{{template.uri}}' }] } }),
    ],
  },
  {
    id: 'resources/unknown',
    says: 'An unknown resource is refused with -32002 and its URI in data.',
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
      says: `${method} without a text as its URI (${JSON.stringify(params)}) is refused with -32602.`,
      section: 'Resources: Error Handling',
      needs: ['resource'],
      exchange: [request(method, params), refused(-32602)],
    }),
  ),
  {
    id: 'resources/subscribe-unknown',
    says: 'A subscription to a resource that is not there is refused with -32002.',
    section: 'Resources: Subscriptions',
    needs: ['resource'],
    exchange: [request('resources/subscribe', { uri: 'nobody://knows/this' }), refused(-32002)],
  },
  {
    id: 'resources/subscribe',
    says: 'Who has subscribed to a resource is told when it changes, and no more after unsubscribing.',
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
    says: 'Who has not subscribed is not told.',
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
    says: 'Every prompt has a name, and every argument of it too.',
    section: 'Prompts: Listing Prompts',
    needs: ['prompt'],
    exchange: [request('prompts/list'), result({ prompts: { $each: { name: { $is: 'string' } } } })],
  },
  {
    id: 'prompts/get',
    says: 'A prompt gives messages, each with a role and one content.',
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
      says: `A prompts/get that cannot be answered (${name.replaceAll('-', ' ')}) is refused with -32602.`,
      section: 'Prompts: Error Handling',
      needs: ['prompt'],
      exchange: [request('prompts/get', params), refused(-32602)],
    }),
  ),
  {
    id: 'prompts/required-named',
    says: 'The refusal of a prompt names the argument that is missing.',
    section: 'Prompts: Error Handling',
    needs: ['prompt'],
    exchange: [
      request('prompts/get', { name: '{{prompt.name}}', arguments: {} }),
      refused(-32602, { message: { $matches: '{{prompt.required}}' } }),
    ],
  },
  {
    id: 'features/roots-changed-heard',
    says: 'notifications/roots/list_changed is taken without an answer.',
    section: 'Roots: Root List Changes',
    exchange: [notification('notifications/roots/list_changed'), { never: { error: { $is: 'present' } } }],
  },
  ...['tasks/list', 'tasks/get', 'roots/list', 'sampling/createMessage', 'elicitation/create'].map(
    (method): Requirement => ({
      id: `features/not-offered-${method.replace('/', '-')}`,
      says: `${method} is nothing that this server declared: -32601.`,
      section: 'Lifecycle: Capability Negotiation',
      ...(method.startsWith('tasks/') ? { needs: ['taskFree'] as const } : {}),
      exchange: [request(method, {}), refused(-32601)],
    }),
  ),
]
