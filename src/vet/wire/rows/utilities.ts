import { call, notification, type Requirement, refused, request, result } from '../requirement.js'

const levels = ['debug', 'info', 'notice', 'warning', 'error', 'critical', 'alert', 'emergency']
const lists = [
  ['tools', 'tools/list', 'tools', 'tool'],
  ['resources', 'resources/list', 'resources', 'resource'],
  ['templates', 'resources/templates/list', 'resourceTemplates', 'template'],
  ['prompts', 'prompts/list', 'prompts', 'prompt'],
] as const
const progress = (token: unknown, more: object = {}) => ({
  expect: {
    method: 'notifications/progress',
    params: { progressToken: token, progress: { $is: 'number' }, ...more },
  },
})

/** Ping, cancellation, progress, logging, pagination, completion (Utilities). */
export const utilityRows: readonly Requirement[] = [
  {
    id: 'utilities/ping-while-busy',
    says: 'ping is answered during a call.',
    section: 'Ping: Behavior Requirements',
    needs: ['waitingTool'],
    exchange: [
      call('waitingTool'),
      request('ping', {}, '{{id2}}'),
      result({}, '{{id2}}'),
      notification('notifications/cancelled', { requestId: '{{id}}' }),
    ],
  },
  {
    id: 'utilities/cancelled-unanswered',
    says: 'A cancelled request gets no response.',
    section: 'Cancellation: Behavior Requirements',
    needs: ['waitingTool'],
    exchange: [
      call('waitingTool'),
      notification('notifications/cancelled', { requestId: '{{id}}', reason: 'The person has left.' }),
      { never: { id: '{{id}}' } },
    ],
  },
  {
    id: 'utilities/cancel-unknown',
    says: 'A cancellation without an id, or of an unknown or answered request, is ignored.',
    section: 'Cancellation: Behavior Requirements',
    exchange: [
      request('ping'),
      result({}),
      ...['{{id}}', 987_654, 'nobody', null].map((requestId) =>
        notification('notifications/cancelled', { requestId }),
      ),
      notification('notifications/cancelled'),
      { never: { error: { $is: 'present' } } },
    ],
  },
  ...(['number', 'text'] as const).map((kind): Requirement => {
    const token = kind === 'number' ? '{{id2}}' : 'token-{{id2}}'
    return {
      id: `utilities/progress-${kind}-token`,
      says: `Progress with a token that is a ${kind} is sent before the response.`,
      section: 'Progress: Behavior Requirements',
      needs: ['progressTool'],
      exchange: [
        call('progressTool', { _meta: { progressToken: token } }),
        progress(token),
        { ...progress(token), isInOrder: true },
        { ...result({ content: { $is: 'array' } }), isInOrder: true },
      ],
    }
  }),
  {
    id: 'utilities/no-progress-without-token',
    says: 'No progress is sent without a token.',
    section: 'Progress: Behavior Requirements',
    needs: ['progressTool'],
    exchange: [
      call('progressTool'),
      result({ content: { $is: 'array' } }),
      { never: { method: 'notifications/progress' } },
    ],
  },
  {
    id: 'utilities/no-progress-message-in-r1',
    says: 'Revision 2024-11-05 has no message in progress notifications.',
    section: 'Progress: Behavior Requirements',
    to: 'R1',
    needs: ['progressTool'],
    exchange: [
      call('progressTool', { _meta: { progressToken: '{{id2}}' } }),
      progress('{{id2}}', { message: { $is: 'absent' } }),
      result({ content: { $is: 'array' } }),
      { never: { method: 'notifications/progress', params: { message: { $is: 'present' } } } },
    ],
  },
  ...levels.map(
    (level): Requirement => ({
      id: `utilities/level-${level}`,
      says: `logging/setLevel accepts the level ${level}.`,
      section: 'Logging: Setting Log Level',
      exchange: [request('logging/setLevel', { level }), result({})],
    }),
  ),
  ...[
    ['loud', { level: 'loud' }],
    ['capitals', { level: 'ERROR' }],
    ['missing', {}],
    ['number', { level: 3 }],
  ].map(
    ([name, params]): Requirement => ({
      id: `utilities/bad-level-${name}`,
      says: `An unknown log level (${JSON.stringify(params)}) is refused with -32602.`,
      section: 'Logging: Setting Log Level',
      exchange: [request('logging/setLevel', params), refused(-32602)],
    }),
  ),
  {
    id: 'utilities/log-below-level',
    says: 'Log messages at or above the level of the session are sent, others are not.',
    section: 'Logging: Log Message Notifications',
    needs: ['loggingTool'],
    exchange: [
      request('logging/setLevel', { level: 'warning' }, '{{id2}}'),
      result({}, '{{id2}}'),
      call('loggingTool'),
      { expect: { method: 'notifications/message', params: { level: 'warning', data: { $is: 'present' } } } },
      result({ content: { $is: 'array' } }),
      { never: { method: 'notifications/message', params: { level: 'debug' } } },
    ],
  },
  {
    id: 'utilities/log-at-debug',
    says: 'At level debug, all log messages are sent.',
    section: 'Logging: Log Message Notifications',
    needs: ['loggingTool'],
    exchange: [
      request('logging/setLevel', { level: 'debug' }, '{{id2}}'),
      result({}, '{{id2}}'),
      call('loggingTool'),
      { expect: { method: 'notifications/message', params: { level: 'debug' } } },
      { expect: { method: 'notifications/message', params: { level: 'warning' } } },
    ],
  },
  ...lists.flatMap(([name, method, key, need]): Requirement[] => [
    {
      id: `utilities/list-${name}`,
      says: `${method} returns its entries, and nextCursor only if there are more.`,
      section: 'Pagination: Operations Supporting Pagination',
      needs: [need],
      exchange: [
        request(method),
        result({ [key]: { $is: 'array' }, nextCursor: { $oneOf: [{ $is: 'string' }, { $is: 'absent' }] } }),
      ],
    },
    ...['nonsense', '', 5].map(
      (cursor): Requirement => ({
        id: `utilities/bad-cursor-${name}-${cursor === '' ? 'empty' : cursor}`,
        says: `A cursor that ${method} did not return (${JSON.stringify(cursor)}) is refused with -32602.`,
        section: 'Pagination: Error Handling',
        needs: [need],
        exchange: [request(method, { cursor }), refused(-32602)],
      }),
    ),
  ]),
  {
    id: 'utilities/complete-prompt',
    says: 'An argument of a prompt is completed, with at most 100 values.',
    section: 'Completion: Requesting Completions',
    needs: ['completion'],
    exchange: [
      request('completion/complete', {
        ref: { type: 'ref/prompt', name: '{{completion.prompt}}' },
        argument: { name: '{{completion.argument}}', value: '{{completion.typed}}' },
      }),
      result({ completion: { values: { $atMost: 100 } } }),
    ],
  },
  {
    id: 'utilities/complete-template',
    says: 'A variable of a resource template is completed, with at most 100 values.',
    section: 'Completion: Requesting Completions',
    needs: ['template', 'completion'],
    exchange: [
      request('completion/complete', {
        ref: { type: 'ref/resource', uri: '{{template.uriTemplate}}' },
        argument: { name: '{{template.variable}}', value: '' },
      }),
      result({ completion: { values: { $atMost: 100 } } }),
    ],
  },
  {
    id: 'utilities/complete-context',
    says: 'The other arguments can be sent as context.',
    section: 'Completion: Requesting Completions',
    from: 'R3',
    needs: ['completion'],
    exchange: [
      request('completion/complete', {
        ref: { type: 'ref/prompt', name: '{{completion.prompt}}' },
        argument: { name: '{{completion.argument}}', value: '{{completion.typed}}' },
        context: { arguments: { other: 'given' } },
      }),
      result({ completion: { values: { $each: { $is: 'string' } } } }),
    ],
  },
  ...(
    [
      ['unknown-prompt', { ref: { type: 'ref/prompt', name: 'nobody' }, argument: { name: 'a', value: '' } }],
      ['unknown-template', { ref: { type: 'ref/resource', uri: 'x://{y}' }, argument: { name: 'y', value: '' } }],
      ['unknown-ref', { ref: { type: 'ref/hive' }, argument: { name: 'a', value: '' } }],
      ['no-ref', { argument: { name: 'a', value: '' } }],
      ['no-argument', { ref: { type: 'ref/prompt', name: '{{completion.prompt}}' } }],
      [
        'value-no-text',
        {
          ref: { type: 'ref/prompt', name: '{{completion.prompt}}' },
          argument: { name: '{{completion.argument}}', value: 5 },
        },
      ],
    ] as const
  ).map(
    ([name, params]): Requirement => ({
      id: `utilities/complete-${name}`,
      says: `An invalid completion request (${name.replaceAll('-', ' ')}) is refused with -32602.`,
      section: 'Completion: Requesting Completions',
      needs: ['completion'],
      exchange: [request('completion/complete', params), refused(-32602)],
    }),
  ),
]
