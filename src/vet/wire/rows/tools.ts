import { call, type Requirement, refused, request, result } from '../requirement.js'

const absent = { $is: 'absent' }
const failed = { isError: true, content: { $has: [{ type: 'text', text: { $is: 'string' } }] } }

/** Tools (Server Features). */
export const toolRows: readonly Requirement[] = [
  {
    id: 'tools/list',
    says: 'Every tool has a valid name and an object as its input schema.',
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
    says: 'Revision 2024-11-05 has no annotations on tools.',
    section: 'Tools: Tool',
    to: 'R1',
    needs: ['tool'],
    exchange: [request('tools/list'), result({ tools: { $each: { annotations: absent } } })],
  },
  {
    id: 'tools/no-output-schema-before-r3',
    says: 'Before revision 2025-06-18, tools have no outputSchema, title or _meta.',
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
    says: 'Before revision 2025-11-25, tools have no icons and no execution.',
    section: 'Tools: Tool',
    to: 'R3',
    needs: ['tool'],
    exchange: [request('tools/list'), result({ tools: { $each: { icons: absent, execution: absent } } })],
  },
  {
    id: 'tools/hints',
    says: 'The annotations of a read-only tool say that it is read-only.',
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
    says: 'The result of a call has content.',
    section: 'Tools: Calling Tools',
    needs: ['tool'],
    exchange: [call('tool'), result({ content: { $is: 'array' }, isError: { $oneOf: [absent, false] } })],
  },
  {
    id: 'tools/structured',
    says: 'A tool with an output schema returns structured content, and the same JSON as text.',
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
    says: 'Revisions before 2025-06-18 get structured content as text only.',
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
    says: 'A call of an unknown tool gets the error -32602 with a message that names the tool.',
    section: 'Tools: Error Handling',
    needs: ['tool'],
    exchange: [
      request('tools/call', { name: 'no_such_tool_{{id2}}', arguments: {} }),
      refused(-32602, { message: { $matches: 'no_such_tool_' } }),
    ],
  },
  {
    id: 'tools/wrong-arguments',
    says: 'Arguments that do not match the schema get a result with isError, and its text names the field.',
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
    says: 'An error of the tool itself is a result with isError and a text, not a protocol error.',
    section: 'Tools: Error Handling',
    needs: ['failingTool'],
    exchange: [call('failingTool'), result(failed)],
  },
  {
    id: 'tools/no-stack',
    says: 'The text of an error contains no stack trace.',
    section: 'Tools: Error Handling',
    needs: ['failingTool'],
    exchange: [
      call('failingTool'),
      result({ content: { $each: { text: { $matches: '^(?![\\s\\S]*\\n\\s+at )[\\s\\S]*$' } } } }),
    ],
  },
  {
    id: 'tools/output-checked',
    says: 'A result that does not match the output schema is sent with isError only.',
    section: 'Tools: Structured Content',
    needs: ['lyingTool'],
    exchange: [call('lyingTool'), result({ ...failed, structuredContent: absent })],
  },
  {
    id: 'tools/audio',
    says: 'Audio is sent as base64 with its media type.',
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
    says: 'Revision 2024-11-05 has no audio: a text replaces it.',
    section: 'Tools: Audio Content',
    to: 'R1',
    needs: ['audioTool'],
    exchange: [call('audioTool'), result({ content: { $each: { type: 'text', text: { $matches: 'audio' } } } })],
  },
  {
    id: 'tools/resource-link',
    says: 'A resource link has a URI and a name.',
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
    says: 'Revisions before 2025-06-18 have no resource links: a text names the URI.',
    section: 'Tools: Resource Links',
    to: 'R2',
    needs: ['linkTool'],
    exchange: [call('linkTool'), result({ content: { $each: { type: 'text', text: { $matches: '://' } } } })],
  },
  {
    id: 'tools/list-changed',
    says: 'An initialized session is notified when the list of tools changes.',
    section: 'Tools: List Changed Notification',
    needs: ['growingTool'],
    exchange: [call('growingTool'), { expect: { method: 'notifications/tools/list_changed' } }],
  },
  {
    id: 'tools/list-changed-not-before-ready',
    says: 'A session gets no notifications before it sends initialized.',
    section: 'Tools: List Changed Notification',
    needs: ['growingTool'],
    opening: 'initializing',
    isLast: true,
    exchange: [
      call('growingTool'),
      result({ content: { $is: 'array' } }),
      { never: { method: 'notifications/tools/list_changed' } },
    ],
  },
]
