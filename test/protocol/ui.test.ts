import { declaresViews, forModel, isViewDomain, isViewType, uiOf, viewMetaOf } from '../../src/protocol/ui.js'

const extension = 'io.modelcontextprotocol/ui'
const page = 'text/html;profile=mcp-app'

test.each([
  [{ extensions: { [extension]: { mimeTypes: [page] } } }, true],
  [{ extensions: { [extension]: { mimeTypes: ['text/plain', page] } } }, true],
  [{ extensions: { [extension]: { mimeTypes: ['text/plain'] } } }, false],
  [{ extensions: { [extension]: { mimeTypes: page } } }, false],
  [{ extensions: { [extension]: { mimeTypes: 5 } } }, false],
  [{ extensions: { [extension]: true } }, false],
  [{ extensions: {} }, false],
  [{}, false],
])('a client with the capabilities %j shows views: %p', (capabilities, shows) => {
  expect(declaresViews(capabilities)).toBe(shows)
})

test.each([
  [page, true],
  ['Text/HTML; profile="mcp-app"', true],
  ['text/html', false],
  ['text/html;profile=other', false],
  [undefined, false],
  [{ toLowerCase: (): string => page }, false],
])('the media type %j is the one of views: %p', (type, isOne) => expect(isViewType(type)).toBe(isOne))

test.each([
  [undefined, { resourceUri: undefined, isForModel: true, isForPages: true }],
  [{ ui: 'ui://a/b' }, { resourceUri: undefined, isForModel: true, isForPages: true }],
  [{ ui: { resourceUri: 'ui://a/b' } }, { resourceUri: 'ui://a/b', isForModel: true, isForPages: true }],
  [
    { ui: { resourceUri: 'https://a.example/', visibility: ['model'] } },
    { resourceUri: undefined, isForModel: true, isForPages: false },
  ],
  [
    { ui: { resourceUri: 5, visibility: ['app'] } },
    { resourceUri: undefined, isForModel: false, isForPages: true },
  ],
  [{ ui: { visibility: 'app' } }, { resourceUri: undefined, isForModel: true, isForPages: true }],
])('a tool with _meta %j has %j', (_meta, ui) => {
  expect(uiOf(_meta === undefined ? {} : { _meta })).toStrictEqual(ui)
})

test('the model does not see tools that are only for views', () => {
  const tools = [{ name: 'weigh' }, { name: 'refresh', _meta: { ui: { visibility: ['app'] } } }]
  expect(forModel(tools)).toStrictEqual([{ name: 'weigh' }])
})

test.each([
  [undefined, {}],
  [{ ui: [] }, {}],
  [{ ui: { csp: 'x', permissions: 5, domain: 5, prefersBorder: 'yes' } }, {}],
  [
    { ui: { domain: 'https://a.example', prefersBorder: false } },
    { domain: 'https://a.example', prefersBorder: false },
  ],
  [
    { ui: { permissions: { camera: {}, geolocation: true, microphone: { x: 1 }, printer: {} } } },
    { permissions: { camera: {}, microphone: {} } },
  ],
  [
    { ui: { csp: { connectDomains: ['https://a.example', 5], frameDomains: 'x', scripts: ['y'] } } },
    { csp: { connectDomains: ['https://a.example'] } },
  ],
])('of the content of a view with _meta %j, %j is valid', (_meta, valid) => {
  const contents = { uri: 'ui://a/b', ...(_meta === undefined ? {} : { _meta }) }
  expect(viewMetaOf(contents as Parameters<typeof viewMetaOf>[0])).toStrictEqual(valid)
})

const name = (length: number) => `https://${'a'.repeat(length - 'https://'.length)}`
test.each([
  ['https://tiles.example', true],
  ['wss://*.tiles.example:8443', true],
  [name(253), true],
  [name(254), false],
  ['tiles.example', false],
  ['https://tiles.example/path', false],
  ["https://tiles.example; script-src 'unsafe-inline'", false],
  ['https://*', false],
])('%s is an origin for a view: %p', (text, isOne) => expect(isViewDomain(text)).toBe(isOne))
