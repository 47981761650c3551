import { findRevision } from '../../../protocol/revisions.js'
import { call, notification, type Requirement, refused, request, result } from '../requirement.js'

const noResponse = { never: { id: '{{id}}' } }

/** JSON-RPC (Overview, "Messages"). */
export const messageRows: readonly Requirement[] = [
  {
    id: 'messages/string-id',
    says: 'A string id of a request is returned unchanged.',
    section: 'Overview: Messages',
    exchange: [request('ping', undefined, 'a-{{id}}'), result({}, 'a-{{id}}')],
  },
  {
    id: 'messages/integer-id',
    says: 'An integer id of a request is returned unchanged.',
    section: 'Overview: Messages',
    exchange: [request('ping'), result({})],
  },
  {
    id: 'messages/zero-and-negative-ids',
    says: '0, negative integers and the empty string are valid ids.',
    section: 'Overview: Messages',
    exchange: [...[0, -7, ''].flatMap((id) => [request('ping', undefined, id), result({}, id)])],
  },
  {
    id: 'messages/number-and-text-ids-differ',
    says: 'The ids 5 and "5" are different.',
    section: 'Overview: Messages',
    exchange: [
      request('ping', undefined, 5555),
      request('ping', undefined, '5555'),
      result({}, 5555),
      result({}, '5555'),
    ],
  },
  {
    id: 'messages/parse-error',
    says: 'A line that is not JSON gets the error -32700 without an id, and the session stays open.',
    section: 'Overview: Messages',
    transports: ['stdio', 'http'],
    exchange: [
      { sendText: '{"jsonrpc":"2.0","id":{{id}},"method":' },
      { expect: { id: { $is: 'absent' }, error: { code: -32700, message: { $is: 'string' } } } },
      request('ping', undefined, '{{id2}}'),
      result({}, '{{id2}}'),
    ],
  },
  ...(
    [
      ['null-id', 'A request whose id is null', { jsonrpc: '2.0', id: null, method: 'ping' }],
      ['fraction-id', 'A request whose id is a fraction', { jsonrpc: '2.0', id: 1.5, method: 'ping' }],
      ['object-id', 'A request whose id is an object', { jsonrpc: '2.0', id: {}, method: 'ping' }],
      ['no-object', 'A message that is a string', 'ping'],
      ['number', 'A message that is a number', 7],
      ['null', 'A message that is null', null],
    ] as const
  ).map(
    ([id, what, sent]): Requirement => ({
      id: `messages/${id}`,
      says: `${what} is refused with -32600 and without an id.`,
      section: 'Overview: Messages',
      transports: ['stdio', 'http'],
      exchange: [
        { sendText: JSON.stringify(sent) },
        { expect: { jsonrpc: '2.0', id: { $is: 'absent' }, error: { code: -32600, message: { $is: 'string' } } } },
      ],
    }),
  ),
  ...(
    [
      ['wrong-version', 'jsonrpc is "1.0"', { jsonrpc: '1.0', id: '{{id}}', method: 'ping' }],
      ['no-version', 'jsonrpc is missing', { id: '{{id}}', method: 'ping' }],
      ['method-no-text', 'the method is not a string', { jsonrpc: '2.0', id: '{{id}}', method: 5 }],
      ['nothing-but-id', 'there is neither a method nor a result', { jsonrpc: '2.0', id: '{{id}}' }],
      ['params-text', 'params is a text', { jsonrpc: '2.0', id: '{{id}}', method: 'ping', params: 'x' }],
    ] as const
  ).map(
    ([id, what, sent]): Requirement => ({
      id: `messages/${id}`,
      says: `If ${what}, the request is refused with -32600 and its id.`,
      section: 'Overview: Messages',
      exchange: [{ send: sent }, refused(-32600)],
    }),
  ),
  {
    id: 'messages/unknown-method',
    says: 'An unknown method gets the error -32601.',
    section: 'Overview: Messages',
    exchange: [request('hives/weigh'), refused(-32601)],
  },
  {
    id: 'messages/notification-unanswered',
    says: 'A notification, known or unknown, gets no response, not even an error.',
    section: 'Overview: Messages',
    exchange: [
      notification('notifications/hives', { a: 1 }),
      notification('tools/list'),
      { never: { id: { $is: 'absent' }, error: { $is: 'present' } } },
    ],
  },
  {
    id: 'messages/response-unanswered',
    says: 'A response to an unknown request is ignored, even if malformed.',
    section: 'Overview: Messages',
    transports: ['stdio', 'two-endpoint'],
    exchange: [
      { send: { jsonrpc: '2.0', id: '{{id}}', result: {} } },
      { send: { jsonrpc: '2.0', id: '{{id}}', error: { code: 1, message: 'x' } } },
      { send: { jsonrpc: '2.0', id: '{{id}}', result: 5 } },
      { send: { jsonrpc: '2.0', id: '{{id}}', result: {}, error: { code: 1, message: 'x' } } },
      noResponse,
      { never: { error: { $is: 'present' } } },
    ],
  },
  {
    id: 'messages/unknown-fields',
    says: 'Unknown fields and unknown _meta are ignored.',
    section: 'Overview: Messages',
    exchange: [
      {
        send: {
          jsonrpc: '2.0',
          id: '{{id}}',
          method: 'ping',
          extra: [1],
          params: { other: true, _meta: { 'apiary.example/x': { y: 1 }, plain: 'z' } },
        },
      },
      result({}),
    ],
  },
  {
    id: 'messages/id-in-flight',
    says: 'A request whose id is already in flight is refused, and the first request is not affected.',
    section: 'Overview: Messages',
    needs: ['waitingTool'],
    exchange: [
      request('tools/call', { name: '{{waitingTool.name}}', arguments: '{{waitingTool.arguments}}' }),
      request('ping'),
      refused(-32600),
      notification('notifications/cancelled', { requestId: '{{id}}' }),
      { never: { id: '{{id}}', result: { $is: 'present' } } },
    ],
  },
  {
    id: 'messages/batch-answered',
    says: 'The response to a batch is one array with a response for each request and none for notifications.',
    section: 'Overview: Batching',
    from: 'R2',
    to: 'R2',
    exchange: [
      {
        send: [
          { jsonrpc: '2.0', id: '{{id}}', method: 'ping' },
          { jsonrpc: '2.0', method: 'notifications/other' },
          { jsonrpc: '2.0', id: '{{id2}}', method: 'nope' },
        ],
      },
      {
        expect: {
          $has: [
            { id: '{{id}}', result: {} },
            { id: '{{id2}}', error: { code: -32601 } },
          ],
        },
      },
    ],
  },
  {
    id: 'messages/batch-repeats-an-id',
    says: 'If a batch has an id twice, the first request is executed and the second refused.',
    section: 'Overview: Batching',
    from: 'R2',
    to: 'R2',
    exchange: [
      {
        send: [
          { jsonrpc: '2.0', id: '{{id}}', method: 'tools/list' },
          { jsonrpc: '2.0', id: '{{id}}', method: 'ping' },
        ],
      },
      {
        expect: {
          $has: [
            { id: '{{id}}', result: { tools: { $is: 'array' } } },
            { id: '{{id}}', error: { code: -32600 } },
          ],
        },
      },
    ],
  },
  {
    id: 'messages/batch-id-in-flight',
    says: 'A batch entry whose id is already in flight is refused, and the first request keeps its response.',
    section: 'Overview: Batching',
    from: 'R2',
    to: 'R2',
    needs: ['slowTool'],
    exchange: [
      call('slowTool'),
      { send: [{ jsonrpc: '2.0', id: '{{id}}', method: 'ping' }] },
      { expect: { $has: [{ id: '{{id}}', error: { code: -32600 } }] } },
      result({ content: { $is: 'array' } }),
    ],
  },
  {
    id: 'messages/batch-without-requests',
    says: 'A batch of notifications only gets no response.',
    section: 'Overview: Batching',
    from: 'R2',
    to: 'R2',
    exchange: [{ send: [{ jsonrpc: '2.0', method: 'notifications/other' }] }, { never: { $is: 'array' } }],
  },
  {
    id: 'messages/batch-with-bad-entry',
    says: 'An invalid entry of a batch gets an error in the response, and the others are executed.',
    section: 'Overview: Batching',
    from: 'R2',
    to: 'R2',
    exchange: [
      { send: [5, { jsonrpc: '2.0', id: '{{id}}', method: 'ping' }] },
      {
        expect: {
          $has: [
            { error: { code: -32600 }, id: { $is: 'absent' } },
            { id: '{{id}}', result: {} },
          ],
        },
      },
    ],
  },
  {
    id: 'messages/batch-empty',
    says: 'An empty batch is refused with -32600, as one message.',
    section: 'Overview: Batching',
    from: 'R2',
    to: 'R2',
    transports: ['stdio', 'http'],
    exchange: [{ send: [] }, { expect: { id: { $is: 'absent' }, error: { code: -32600 } } }],
  },
  {
    id: 'messages/batch-with-initialize',
    says: 'initialize is never part of a batch.',
    section: 'Lifecycle: Initialization',
    from: 'R2',
    to: 'R2',
    exchange: [
      { send: [{ jsonrpc: '2.0', id: '{{id}}', method: 'initialize', params: {} }] },
      { expect: { $has: [{ id: '{{id}}', error: { code: -32600 } }] } },
    ],
  },
  ...(['R1', 'R3', 'R4'] as const).map(
    (revision): Requirement => ({
      id: `messages/batch-refused-${revision.toLowerCase()}`,
      says: `Revision ${findRevision(revision)?.date} has no batches: a batch is refused with -32600.`,
      section: 'Overview: Batching',
      ...(revision === 'R1' ? { to: 'R1' } : revision === 'R3' ? { from: 'R3', to: 'R3' } : { from: 'R4' }),
      transports: ['stdio', 'http'],
      exchange: [
        { send: [{ jsonrpc: '2.0', id: '{{id}}', method: 'ping' }] },
        { expect: { id: { $is: 'absent' }, error: { code: -32600 } } },
      ],
    }),
  ),
]
