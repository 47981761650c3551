import {
  isNotification,
  type Message,
  maxDepth,
  messagesIn,
  parseJson,
  readMessage,
} from '../../src/protocol/messages.js'

describe('a value read from the transport', () => {
  test.each([
    [{ jsonrpc: '2.0', id: 1, method: 'ping' }, 'request'],
    [{ jsonrpc: '2.0', id: 'a', method: 'ping', params: {} }, 'request'],
    [{ jsonrpc: '2.0', method: 'notifications/initialized' }, 'notification'],
    [{ jsonrpc: '2.0', id: 1, result: {} }, 'response'],
    [{ jsonrpc: '2.0', error: { code: -32700, message: 'x' } }, 'response'],
    [{ jsonrpc: '2.0', id: null, error: { code: -32700, message: 'x' } }, 'response'],
  ])('%j is a %s', (value, kind) => {
    expect(readMessage(value).kind).toBe(kind)
  })

  test.each([
    [42, undefined, -32600],
    [null, undefined, -32600],
    [{}, undefined, -32600],
    [{ jsonrpc: '2.0', id: null, method: 'ping' }, undefined, -32600],
    [{ jsonrpc: '2.0', id: 1.5, method: 'ping' }, undefined, -32600],
    [{ jsonrpc: '1.0', id: 7, method: 'ping' }, 7, -32600],
    [{ jsonrpc: '2.0', id: 7, method: 5 }, 7, -32600],
    [{ jsonrpc: '2.0', id: 7, method: 'ping', params: 'x' }, 7, -32600],
    [{ jsonrpc: '2.0', id: 7, method: 'ping', params: [] }, 7, -32602],
  ])('%j is refused with id %p and code %i', (value, id, code) => {
    const read = readMessage(value)
    expect(read).toMatchObject({ kind: 'malformed', response: { error: { code } } })
    expect(read.kind === 'malformed' && read.response && 'id' in read.response ? read.response.id : undefined).toBe(
      id,
    )
  })

  test('a malformed response is never answered', () => {
    expect(readMessage({ jsonrpc: '2.0', id: 1, result: {}, error: { code: 1, message: '' } })).toStrictEqual({
      kind: 'malformed',
      response: undefined,
    })
  })

  test.each([
    [{ jsonrpc: '2.0', id: 1, error: { code: 1, message: 5 } }],
    [{ jsonrpc: '2.0', id: 1, error: { code: 1.5, message: 'x' } }],
    [{ jsonrpc: '2.0', id: 1, result: 'x', error: { code: 1, message: 'x' } }],
    [{ jsonrpc: '2.0', result: {} }],
    [{ jsonrpc: '1.0', id: 1, result: {} }],
  ])('%j is malformed', (value) => {
    expect(readMessage(value)).toStrictEqual({ kind: 'malformed', response: undefined })
  })
})

const nested = (depth: number, inside = '', [open, close] = ['[', ']']) =>
  `${open.repeat(depth)}${inside}${close.repeat(depth)}`
const padding = JSON.stringify('x'.repeat(2000))

describe('JSON from the wire', () => {
  test.each([
    ['lists at the limit', nested(maxDepth, padding)],
    ['a long list of short lists', nested(1, Array(1500).fill('[]').join())],
    ['a long list of short objects', nested(1, Array(1500).fill('{"a":[{}]}').join())],
    ['brackets in a text', JSON.stringify(`${'[{'.repeat(1500)}`)],
    ['brackets after an escaped quote', JSON.stringify(`"${'['.repeat(3000)}`)],
    ['brackets after an escaped backslash and quote', JSON.stringify(`"\\"${'['.repeat(3000)}`)],
    ['a text that ends with a backslash', nested(1, `"\\\\",${Array(1500).fill('[]').join()}`)],
  ])('%s is parsed', (_what, text) => {
    expect(parseJson(text)).toStrictEqual(JSON.parse(text))
  })

  test.each([
    ['lists', nested(maxDepth + 1, padding)],
    ['objects', nested(maxDepth + 1, '1', ['{"a":', '}']).padEnd(2100)],
    ['lists and objects', nested(maxDepth / 2 + 1, '1', ['[{"a":', '}]']).padEnd(2100)],
    ['lists after a text with brackets', `["]]]]",${nested(maxDepth, padding)}]`],
    ['lists after a text that ends with a backslash', `["\\\\",${nested(maxDepth, padding)}]`],
    ['lists after other lists', `[${nested(maxDepth - 1)},[],${nested(maxDepth, padding)}]`],
  ])('nesting beyond the limit is refused: %s', (_what, text) => {
    expect(() => JSON.parse(text)).not.toThrow()
    expect(() => parseJson(text)).toThrow(`the JSON is nested more than ${maxDepth} levels deep`)
  })

  test('a text without its end is refused as JSON, not for its nesting', () => {
    expect(() => parseJson(`["${'['.repeat(3000)}`)).toThrow(/Unterminated string|Unexpected end/)
  })
})

describe('the messages in a text', () => {
  const ping: Message = { jsonrpc: '2.0', id: 1, method: 'ping' }
  const unusable = (text: string) => {
    const reported: [unknown, string][] = []
    return { messages: messagesIn(text, (id, reason) => reported.push([id, reason])), reported }
  }

  test('are one, or a batch', () => {
    expect(messagesIn(JSON.stringify(ping))).toStrictEqual([ping])
    expect(messagesIn(JSON.stringify([ping, ping]))).toStrictEqual([ping, ping])
    expect(messagesIn('{')).toBeUndefined()
    expect(messagesIn(nested(maxDepth + 1, padding))).toBeUndefined()
  })

  test('a malformed response is reported with its id; malformed requests and other values are left out', () => {
    const values = [ping, 5, { jsonrpc: '2.0', id: 2, result: 'x' }, { id: 3, method: 5 }, { jsonrpc: '2.0' }]
    expect(unusable(JSON.stringify(values))).toStrictEqual({
      messages: [ping],
      reported: [[2, 'it is not a valid JSON-RPC response']],
    })
    expect(messagesIn(JSON.stringify(values))).toStrictEqual([ping])
  })

  test('a response that is nested too deeply is reported with its id', () => {
    const deep = (fields: string) => `{"jsonrpc":"2.0",${fields},"result":{"a":${nested(maxDepth, padding)}}}`
    expect(unusable(deep('"id":4'))).toStrictEqual({
      messages: undefined,
      reported: [[4, `the JSON is nested more than ${maxDepth} levels deep`]],
    })
    expect(unusable(deep('"id":null')).reported).toStrictEqual([])
    expect(unusable(deep('"id":4,"method":"x"')).reported).toStrictEqual([])
    expect(unusable('{"id":5,').reported).toStrictEqual([])
  })

  test('a notification has a method and no id', () => {
    const messages: Message[] = [
      ping,
      { jsonrpc: '2.0', method: 'notifications/initialized' },
      { jsonrpc: '2.0', id: 1, result: {} },
      { jsonrpc: '2.0', error: { code: -32700, message: 'x' } },
    ]
    expect(messages.map(isNotification)).toStrictEqual([false, true, false, false])
  })
})
