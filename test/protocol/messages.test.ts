import { readMessage } from '../../src/protocol/messages.js'

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
})
