import { mkdirSync, mkdtempSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Credentials, settingNames, settingsOf } from '../../src/wrap/http-api/credentials.js'
import { fileSchema, withFiles } from '../../src/wrap/http-api/files.js'
import { ownCredential } from '../../src/wrap/http-api/own-credential.js'
import { cut, plainText } from '../../src/wrap/http-api/plain-text.js'
import { serialized, textOf } from '../../src/wrap/http-api/serialize.js'

const list = ['a', 'b c']
const map = { R: 100, G: null, B: 'x y' }
const nested = {
  name: 'Ada',
  sites: ['a', 'b'],
  queen: { year: 2025 },
  boxes: [{ kg: 1 }, { kg: 2 }],
  none: undefined,
}

test.each<[string, boolean, unknown, string | undefined]>([
  ['path simple', false, list, 'a,b%20c'],
  ['path simple', true, map, 'R=100,B=x%20y'],
  ['path simple', false, map, 'R,100,B,x%20y'],
  ['path simple', false, 'a/b', 'a%2Fb'],
  ['path label', false, 'a b', '.a%20b'],
  ['path label', false, list, '.a,b%20c'],
  ['path label', true, list, '.a.b%20c'],
  ['path label', true, map, '.R=100.B=x%20y'],
  ['path label', false, map, '.R,100,B,x%20y'],
  ['path matrix', false, 'a b', ';k ey=a%20b'],
  ['path matrix', false, '', ';k ey'],
  ['path matrix', false, list, ';k ey=a,b%20c'],
  ['path matrix', true, ['a', ''], ';k ey=a;k ey'],
  ['path matrix', true, { 'a b': 1, c: '' }, ';a%20b=1;c'],
  ['header simple', false, list, 'a,b c'],
  ['query form', true, 'a b', 'k%20ey=a%20b'],
  ['query form', true, list, 'k%20ey=a&k%20ey=b%20c'],
  ['query form', false, list, 'k%20ey=a,b%20c'],
  ['query form', true, map, 'R=100&B=x%20y'],
  ['query form', false, map, 'k%20ey=R,100,B,x%20y'],
  ['query form', true, [], undefined],
  ['query form', false, {}, undefined],
  ['query form', true, { a: null, b: undefined }, undefined],
  ['query form', true, null, undefined],
  ['query form', true, undefined, undefined],
  ['query form', true, [null, 1, { a: 1 }], 'k%20ey=&k%20ey=1&k%20ey=%7B%22a%22%3A1%7D'],
  ['query form', true, 5, 'k%20ey=5'],
  ['query spaceDelimited', false, list, 'k%20ey=a%20b%20c'],
  ['query pipeDelimited', false, list, 'k%20ey=a%7Cb%20c'],
  ['query tabDelimited', false, list, 'k%20ey=a%09b%20c'],
  [
    'query deepObject',
    true,
    nested,
    'k%20ey%5Bname%5D=Ada&k%20ey%5Bsites%5D=a&k%20ey%5Bsites%5D=b&k%20ey%5Bqueen%5D%5Byear%5D=2025&k%20ey%5Bboxes%5D%5B0%5D%5Bkg%5D=1&k%20ey%5Bboxes%5D%5B1%5D%5Bkg%5D=2',
  ],
  ['query deepObject', true, [[1], 2], 'k%20ey%5B0%5D=1&k%20ey%5B1%5D=2'],
  ['query deepObject', true, { a: [] }, undefined],
  ['cookie form', true, 'a b', 'k%20ey=a%20b'],
])('%s, explode %s: %j is sent as %s', (where, explode, value, text) => {
  const [place = '', style = ''] = where.split(' ')
  expect(serialized({ in: place, name: 'k ey', style, explode } as never, value)).toBe(text)
})

test.each<[object, unknown, string | undefined]>([
  [{ in: 'query', isJson: true }, null, 'q=null'],
  [{ in: 'query', isJson: true }, { a: 1 }, 'q=%7B%22a%22%3A1%7D'],
  [{ in: 'query', isJson: true }, undefined, undefined],
  [{ in: 'query', allowsReserved: true }, 'a/b?c=d&e#f%41%', 'q=a/b?c=d%26e%23f%41%25'],
  [{ in: 'query', allowsReserved: false }, 'a/b', 'q=a%2Fb'],
  [{ in: 'cookie', allowsReserved: true }, 'a/b', 'q=a%2Fb'],
  [{ in: 'header', allowsReserved: true }, 'a/b', 'a/b'],
])('a parameter %j sends %j as %s', (more, value, text) => {
  const style = (more as { in: string }).in === 'header' ? 'simple' : 'form'
  expect(serialized({ name: 'q', style, explode: true, ...more } as never, value)).toBe(text)
})

test.each([
  [null, ''],
  [undefined, ''],
  ['x', 'x'],
  [5, '5'],
  [{ a: 1 }, '{"a":1}'],
])('the text of %j is %s', (value, text) => {
  expect(textOf(value)).toBe(text)
})

test.each([
  ['One. Two three', 20, 'One. Two three'],
  ['One. Two three', 14, 'One. Two three'],
  ['One. Two three', 13, 'One. Two …'],
  ['One two. Three four five', 18, 'One two.'],
  ['One two.\nThree four five', 18, 'One two.'],
  ['A. B. Three four five six', 15, 'A. B. Three …'],
  ['A. B.\nThree four. Five six', 20, 'A. B.\nThree four.'],
  ['12345. 789 abcd', 12, '12345.'],
  ['1234. 6789 abcd', 12, '1234. 6789 …'],
  ['123. 56789 abc', 12, '123. 56789 …'],
])('%j in %i characters is %j', (text, most, expected) => {
  expect(cut(text, most)).toBe(expected)
})

test.each([
  ['<b>Bold</b> <p>text</p>', 'Bold text'],
  ['[a link](https://x.example) ![a picture](y)', 'a link a picture'],
  ['# Head\n> quoted **strong**', 'Head quoted strong'],
  ['a<!-- hidden\n -->b\u200bc\u202e', 'a bc'],
])('%j as plain text is %j', (text, expected) => {
  expect(plainText(text, 100)).toBe(expected)
})

describe('credentials', () => {
  const key = { kind: 'apiKey', name: 'k', in: 'header', parameter: 'X-Key', setting: 'KEY' } as const
  const basic = { kind: 'basic', name: 'b', userSetting: 'USER', passwordSetting: 'PASSWORD' } as const
  const bearer = { kind: 'bearer', name: 't', setting: 'TOKEN' } as const
  const value = { kind: 'value', name: 'v', setting: 'VALUE' } as const
  const exchange = { kind: 'exchange', name: 'e', audience: 'a', scopes: ['s'] } as const
  const client = {
    kind: 'clientCredentials',
    name: 'c',
    tokenUrl: 'https://hives.example/token',
    scopes: ['read'] as readonly string[],
    idSetting: 'ID',
    secretSetting: 'SECRET',
  } as const
  const shown = (about: string, secret = true) => expect.objectContaining({ about, secret })

  test('have settings with a description, secret unless they are names', () => {
    const optional = { ...key, about: 'Ask the county.', isOptional: true }
    const settings = settingsOf([optional, basic, bearer, value, exchange, client], 'Hives')
    expect(settings).toStrictEqual({
      KEY: expect.objectContaining({ about: 'Key of Hives: Ask the county.', secret: true, optional: true }),
      USER: shown('User name of Hives', false),
      PASSWORD: shown('Password of Hives'),
      TOKEN: shown('Token of Hives'),
      VALUE: shown('Secret of Hives'),
      ID: shown('Client id of Hives', false),
      SECRET: shown('Client secret of Hives'),
    })
    expect([key, basic, bearer, value, exchange, client].map(settingNames)).toStrictEqual([
      ...[['KEY'], ['USER', 'PASSWORD'], ['TOKEN'], ['VALUE'], [], ['ID', 'SECRET']],
    ])
  })

  const values = { KEY: 'k y', USER: 'keeper', PASSWORD: 'h:sh', TOKEN: 't', VALUE: 'v', ID: 'id', SECRET: 's' }
  const request = {
    method: 'GET',
    url: 'https://hives.example/a?b=1&k=old&=x',
    headers: [
      ['Cookie', 'a=b'],
      ['x-key', 'old'],
      ['Authorization', 'old'],
    ],
  }
  const applied = async (credential: object, settings: object = values, given: object = request) => {
    const credentials = new Credentials(settings as never, (() => {}) as never)
    const { url, headers } = await credentials.applied(given as never, [credential] as never, undefined)
    return [url, ...headers.map((header) => header.join(': '))]
  }
  const unchanged = [request.url, ...request.headers.map((header) => header.join(': '))]
  const [url = '', cookie = '', old = '', other = ''] = unchanged

  test.each<[object, string[]]>([
    [key, [url, cookie, other, 'X-Key: k y']],
    [{ ...key, prefix: 'Key ' }, [url, cookie, other, 'X-Key: Key k y']],
    [{ ...key, in: 'query', parameter: 'k' }, ['https://hives.example/a?b=1&=x&k=k%20y', cookie, old, other]],
    [{ ...key, in: 'cookie', parameter: 'c' }, [url, old, other, 'cookie: a=b; c=k%20y']],
    [basic, [url, cookie, old, 'authorization: Basic a2VlcGVyOmg6c2g=']],
    [bearer, [url, cookie, old, 'authorization: Bearer t']],
    [value, unchanged],
  ])('%j are added to a request', async (credential, expected) => {
    expect(await applied(credential)).toStrictEqual(expected)
  })

  test('are added to a request without query and cookies, and omitted without values', async () => {
    const bare = { method: 'GET', url: 'https://hives.example/a', headers: [] }
    const [added] = await applied({ ...key, in: 'query', parameter: 'k y' }, values, bare)
    expect(added).toBe('https://hives.example/a?k%20y=k%20y')
    const cookies = await applied({ ...key, in: 'cookie', parameter: 'c' }, values, bare)
    expect(cookies[1]).toBe('cookie: c=k%20y')
    expect(await applied(basic, { USER: 'keeper' })).toStrictEqual(unchanged)
  })

  describe('of a client', () => {
    const opened = (...replies: [status: number, body: unknown][]) => {
      const sent: { headers: string[][]; body: string }[] = []
      const credentials = new Credentials(values, (async (asked: { headers: string[][]; body: Uint8Array }) => {
        sent.push({ ...asked, body: String(asked.body) })
        const [status, body] = replies[Math.min(sent.length, replies.length) - 1] ?? [500, '']
        return { status, body: Buffer.from(typeof body === 'string' ? body : JSON.stringify(body)) }
      }) as never)
      const token = async (credential: object = client) => {
        const made = await credentials.applied(
          { ...request, headers: [] } as never,
          [credential] as never,
          undefined,
        )
        return made.headers[0]?.[1]
      }
      return { sent, credentials, token }
    }
    const issued = (name: string, expires_in?: number) =>
      [200, { access_token: name, ...(expires_in === undefined ? {} : { expires_in }) }] as [number, unknown]

    test('are a token, fetched once for all calls until it is refused or expires', async () => {
      const { sent, token, credentials } = opened(issued('one'), issued('two', 30), issued('three', 31))
      expect(await Promise.all([token(), token()])).toStrictEqual(['Bearer one', 'Bearer one'])
      expect(await token()).toBe('Bearer one')
      expect(sent).toHaveLength(1)
      expect(sent[0]).toMatchObject({
        method: 'POST',
        url: client.tokenUrl,
        body: 'grant_type=client_credentials&scope=read',
      })
      expect(sent[0]?.headers).toStrictEqual([
        ['accept', 'application/json'],
        ['content-type', 'application/x-www-form-urlencoded'],
        ['authorization', 'Basic aWQ6cw=='],
      ])
      expect(credentials.forget([bearer])).toBe(false)
      expect(credentials.forget([client])).toBe(true)
      expect(credentials.forget([client])).toBe(false)
      expect(await token()).toBe('Bearer two')
      expect(await token()).toBe('Bearer three')
      expect(await token()).toBe('Bearer three')
    })

    test('without scopes name none, and are sent in the form to a server that refuses them in the header', async () => {
      for (const status of [400, 401]) {
        const { sent, token } = opened([status, ''], issued('one'))
        expect(await token({ ...client, scopes: [] })).toBe('Bearer one')
        expect(sent[1]?.body).toBe('grant_type=client_credentials&client_id=id&client_secret=s')
        expect(sent[1]?.headers).toHaveLength(2)
      }
    })

    test.each<[number, unknown]>([
      [500, { access_token: 'x' }],
      [200, { access_token: 5 }],
      [200, 'no JSON'],
      [200, 'null'],
    ])('are refused with the response %i %j, and requested again by the next call', async (status, body) => {
      const { token } = opened([status, body], issued('one'))
      await expect(token()).rejects.toMatchObject({ code: 'upstream-token' })
      expect(await token()).toBe('Bearer one')
    })
  })

  test('in the name of a caller need a caller, and a server that exchanges tokens', async () => {
    const credentials = new Credentials({}, (() => {}) as never)
    const add = (identity: object | undefined) =>
      credentials.applied(request as never, [exchange] as never, identity as never)
    await expect(add(undefined)).rejects.toMatchObject({
      message: expect.stringContaining('signed in'),
      operatorNote: expect.stringContaining('--issuer'),
    })
    await expect(add({ subject: 'a' })).rejects.toMatchObject({
      message: expect.stringContaining('in your name'),
      operatorNote: expect.stringContaining('tokens for a'),
    })
    const asked: unknown[] = []
    const made = await add({ subject: 'a', exchange: async (wanted: unknown) => String(asked.push(wanted)) })
    expect(made.headers.at(-1)).toStrictEqual(['authorization', 'Bearer 1'])
    expect(asked).toStrictEqual([{ audience: 'a', scopes: ['s'] }])
  })

  test.each<[object, object]>([
    [{ kind: 'bearer' }, { name: 'own', kind: 'bearer', setting: 'P_TOKEN' }],
    [{ kind: 'basic' }, { name: 'own', kind: 'basic', userSetting: 'P_USER', passwordSetting: 'P_PASSWORD' }],
    [
      { kind: 'apiKey', in: 'query', parameter: 'k' },
      { name: 'own', kind: 'apiKey', in: 'query', parameter: 'k', setting: 'P_API_KEY' },
    ],
    [
      { kind: 'clientCredentials', tokenUrl: 'https://x.example' },
      {
        ...{ name: 'own', kind: 'clientCredentials', tokenUrl: 'https://x.example', scopes: [] },
        ...{ idSetting: 'P_CLIENT_ID', secretSetting: 'P_CLIENT_SECRET' },
      },
    ],
    [{ exchange: { audience: 'a' } }, { name: 'own', kind: 'exchange', audience: 'a', scopes: [] }],
    [
      { exchange: { audience: 'a', scopes: ['s'] } },
      { name: 'own', kind: 'exchange', audience: 'a', scopes: ['s'] },
    ],
  ])('given as %j are %j', (given, credential) => {
    expect(ownCredential(given as never, 'P')).toStrictEqual(credential)
  })
})

describe('a file', () => {
  const folder = mkdtempSync(join(tmpdir(), 'files-'))
  writeFileSync(join(folder, 'hive.png'), 'png')
  writeFileSync(join(folder, 'large.png'), 'x'.repeat(11))
  writeFileSync(join(folder, 'ten.png'), 'x'.repeat(10))
  mkdirSync(join(folder, 'inner'))
  symlinkSync('/etc/hostname', join(folder, 'out.png'))
  const read = async (value: unknown, from: string | undefined = folder) =>
    (await withFiles({ form: 'binary', argument: 'f' } as never, { f: value, other: 1 }, from, 10)).f
  const bytes = (text: string) => Uint8Array.from(Buffer.from(text))
  const plain = (file: unknown) => {
    const { bytes: own, ...rest } = file as { bytes: Uint8Array }
    return { bytes: Buffer.from(own).toString(), ...rest }
  }

  test.each<[unknown, object]>([
    ['aGl2ZQ==', { bytes: 'hive' }],
    [
      { base64: 'aGl2ZQ==', name: 'a.png', mediaType: 'image/png' },
      { bytes: 'hive', name: 'a.png', mediaType: 'image/png' },
    ],
    [{ path: 'hive.png' }, { bytes: 'png', name: 'hive.png' }],
    [{ path: 'ten.png' }, { bytes: 'x'.repeat(10), name: 'ten.png' }],
    [
      { path: 'hive.png', name: 'b.png', mediaType: 'image/png; q="1"' },
      { bytes: 'png', name: 'b.png', mediaType: 'image/png; q="1"' },
    ],
  ])('%j is read', async (given, expected) => {
    expect(plain(await read(given))).toStrictEqual(expected)
  })

  test.each<[unknown, RegExp]>([
    ['?', /is not base64/],
    [{}, /is not base64/],
    [{ base64: 'aGl2ZQ==', mediaType: 'image' }, /mediaType that is not valid/],
    [{ base64: 'aGl2ZQ==', mediaType: 'image/png\r\nx: y' }, /mediaType that is not valid/],
    [{ path: 'none.png' }, /there is no "none.png" in the allowed folder/],
    [{ path: 'inner' }, /"inner" is not a file/],
    [{ path: '.' }, /there is no "\."/],
    [{ path: '../x' }, /there is no/],
    [{ path: 'out.png' }, /there is no "out.png"/],
    [{ path: 'large.png' }, /has 11 bytes; the limit is 10/],
  ])('%j is refused', async (given, message) => {
    await expect(read(given)).rejects.toThrow(message)
  })

  test('is read from a path only if a folder is allowed', async () => {
    const given = withFiles({ form: 'binary', argument: 'f' } as never, { f: { path: 'hive.png' } }, undefined, 10)
    await expect(given).rejects.toMatchObject({ argument: 'f', message: expect.stringContaining('cannot be read') })
  })

  test('is an argument of a body, or a property of a form, also several', async () => {
    const properties = [
      { argument: 'one', isFile: true },
      { argument: 'text', isFile: false },
      { argument: undefined, isFile: true },
    ]
    const given = { one: ['aGl2ZQ==', 'aGl2ZQ=='], text: 'x', f: 'aGl2ZQ==' }
    const read = await withFiles({ form: 'multipart', properties } as never, given, folder, 10)
    expect(read).toStrictEqual({ ...given, one: [{ bytes: bytes('hive') }, { bytes: bytes('hive') }] })
    expect(await withFiles(undefined, given, folder, 10)).toStrictEqual(given)
    expect(await withFiles({ form: 'binary' } as never, given, folder, 10)).toStrictEqual(given)
    expect(await withFiles({ form: 'binary', argument: 'none' } as never, given, folder, 10)).toStrictEqual(given)
  })

  const base64 = { type: 'string', contentEncoding: 'base64', description: 'The bytes, as base64' }
  const text = (description: string) => ({ type: 'string', description })
  test.each<[boolean, string | undefined, string]>([
    [true, undefined, 'A file: its bytes as base64, or its path.'],
    [false, undefined, 'A file: its bytes as base64.'],
    [false, 'A picture.', 'A picture.'],
  ])('with paths %s has a schema', (allowsPaths, about, description) => {
    const path = allowsPaths ? { path: text('Path under the folder of files that is allowed') } : {}
    expect(fileSchema(allowsPaths, about)).toStrictEqual({
      description,
      anyOf: [
        base64,
        {
          type: 'object',
          properties: {
            base64,
            ...path,
            name: text('File name to send it under'),
            mediaType: text('Such as image/png'),
          },
          ...(allowsPaths
            ? { oneOf: [{ required: ['base64'] }, { required: ['path'] }] }
            : { required: ['base64'] }),
          additionalProperties: false,
        },
      ],
    })
  })
})
