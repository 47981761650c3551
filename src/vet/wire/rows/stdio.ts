import { notification, type Requirement, request, result } from '../requirement.js'

const refusedWithoutId = (code: number) => ({ expect: { id: { $is: 'absent' }, error: { code } } })

/** Lines (Transports, "stdio"). */
export const stdioRows: readonly Requirement[] = [
  {
    id: 'stdio/blank-lines',
    says: 'Blank lines and carriage returns between messages are ignored.',
    section: 'Transports: stdio',
    transports: ['stdio'],
    exchange: [{ sendText: '\r' }, { sendText: '{"jsonrpc":"2.0","id":{{id}},"method":"ping"}\r' }, result({})],
  },
  {
    id: 'stdio/garbage-survived',
    says: 'After invalid lines, the next message is answered.',
    section: 'Transports: stdio',
    transports: ['stdio'],
    exchange: [
      { sendText: 'not json' },
      refusedWithoutId(-32700),
      { sendText: '\u0000\u0001' },
      refusedWithoutId(-32700),
      { sendText: '[]' },
      refusedWithoutId(-32600),
      request('ping'),
      result({}),
    ],
  },
  {
    id: 'stdio/two-in-one-write',
    says: 'Several messages in one chunk are each answered.',
    section: 'Transports: stdio',
    transports: ['stdio'],
    exchange: [
      {
        sendText: '{"jsonrpc":"2.0","id":{{id}},"method":"ping"}\n{"jsonrpc":"2.0","id":{{id2}},"method":"ping"}',
      },
      result({}),
      result({}, '{{id2}}'),
    ],
  },
  {
    id: 'stdio/unicode',
    says: 'UTF-8 text is unchanged in both directions.',
    section: 'Transports: stdio',
    transports: ['stdio'],
    exchange: [
      request('tools/call', { name: 'Bienenstöcke-🐝', arguments: {} }),
      { expect: { id: '{{id}}', error: { code: -32602, message: { $matches: 'Bienenstöcke-🐝' } } } },
    ],
  },
  {
    id: 'stdio/nothing-else-on-stdout',
    says: 'Every line on stdout is a message.',
    section: 'Transports: stdio',
    transports: ['stdio'],
    exchange: [notification('notifications/other'), { never: { $is: 'string' } }],
  },
]
