// biome-ignore-all lint/suspicious/noTemplateCurlyInString: the sources hold template literal types
/** TypeScript → schema → a call with valid arguments, and one that is refused. Each case is one exported function of one module. */
export interface TypeCase {
  /** The exported function. */
  name: string
  source: string
  /** The relevant schemas of the arguments. */
  input: Record<string, unknown>
  required?: string[]
  /** Arguments, and the expected result. */
  call: [given: Record<string, unknown>, back: unknown]
  /** Arguments that are refused, and the names in the refusal. */
  wrong?: [given: Record<string, unknown>, names: string]
  output?: unknown
}

const value = (back: unknown) => ({ value: back })

export const typeCases: TypeCase[] = [
  // Primitives and literals
  {
    name: 'text',
    source: 'export function text(a: string) { return a.length }',
    input: { a: { type: 'string' } },
    required: ['a'],
    call: [{ a: 'hive' }, value(4)],
    wrong: [{ a: 4 }, 'a'],
  },
  {
    name: 'amount',
    source: 'export function amount(a: number) { return a * 2 }',
    input: { a: { type: 'number' } },
    call: [{ a: 1.5 }, value(3)],
    wrong: [{ a: '1' }, 'a'],
  },
  {
    name: 'flag',
    source: 'export function flag(a: boolean) { return !a }',
    input: { a: { type: 'boolean' } },
    call: [{ a: true }, value(false)],
    wrong: [{ a: 'yes' }, 'a'],
  },
  {
    name: 'wide',
    source: 'export function wide(a: bigint) { return typeof a + (a + 1n) }',
    input: { a: { type: 'string', pattern: '^-?\\d+$' } },
    call: [{ a: '9007199254740993' }, value('bigint9007199254740994')],
    wrong: [{ a: '1.5' }, 'a'],
  },
  {
    name: 'wideOut',
    source: 'export function wideOut(): bigint { return 2n ** 70n }',
    input: {},
    call: [{}, value('1180591620717411303424')],
  },
  {
    name: 'literal',
    source: "export function literal(a: 'calm') { return a }",
    input: { a: { const: 'calm' } },
    call: [{ a: 'calm' }, value('calm')],
    wrong: [{ a: 'wild' }, 'a'],
  },
  {
    name: 'numbers',
    source: 'export function numbers(a: 1 | 2 | 3) { return a }',
    input: { a: { type: 'number', enum: [1, 2, 3] } },
    call: [{ a: 2 }, value(2)],
    wrong: [{ a: 4 }, 'a'],
  },
  {
    name: 'onlyTrue',
    source: 'export function onlyTrue(a: true) { return a }',
    input: { a: { const: true } },
    call: [{ a: true }, value(true)],
    wrong: [{ a: false }, 'a'],
  },
  {
    name: 'nothingness',
    source: 'export function nothingness(a: null) { return a === null }',
    input: { a: { type: 'null' } },
    call: [{ a: null }, value(true)],
    wrong: [{ a: 0 }, 'a'],
  },
  {
    name: 'template',
    source: 'export function template(a: `ML-${number}`) { return a }',
    input: { a: { type: 'string', pattern: '^ML--?\\d+(\\.\\d+)?$' } },
    call: [{ a: 'ML-04' }, value('ML-04')],
    wrong: [{ a: 'QF-1' }, 'a'],
  },
  {
    name: 'templateUnion',
    source: "export function templateUnion(a: `${'ML' | 'QF'}-x`) { return a }",
    input: { a: { enum: ['ML-x', 'QF-x'] } },
    call: [{ a: 'QF-x' }, value('QF-x')],
    wrong: [{ a: 'x' }, 'a'],
  },
  // Unions
  {
    name: 'words',
    source: "export type Temper = 'calm' | 'nervous'\nexport function words(a: Temper) { return a }",
    input: { a: { type: 'string', enum: ['calm', 'nervous'] } },
    call: [{ a: 'calm' }, value('calm')],
    wrong: [{ a: 'angry' }, 'a'],
  },
  {
    name: 'either',
    source: 'export function either(a: string | number) { return typeof a }',
    input: { a: { anyOf: [{ type: 'string' }, { type: 'number' }] } },
    call: [{ a: 3 }, value('number')],
    wrong: [{ a: true }, 'a'],
  },
  {
    name: 'orNull',
    source: 'export function orNull(a: string | null) { return a === null }',
    input: { a: { anyOf: [{ type: 'null' }, { type: 'string' }] } },
    call: [{ a: null }, value(true)],
    wrong: [{ a: 1 }, 'a'],
  },
  {
    name: 'wordOrFlag',
    source: "export function wordOrFlag(a: boolean | 'auto') { return a }",
    input: { a: { anyOf: [{ const: 'auto' }, { type: 'boolean' }] } },
    call: [{ a: 'auto' }, value('auto')],
    wrong: [{ a: 'on' }, 'a'],
  },
  {
    name: 'dateOrText',
    source: "export function dateOrText(a: Date | string) { return a instanceof Date ? 'date' : 'text' }",
    input: { a: {} },
    call: [{ a: '2026-06-02T06:00:00Z' }, value('date')],
    wrong: [{ a: 5 }, 'a'],
  },
  {
    name: 'textNotDate',
    source: "export function textNotDate(a: Date | string) { return a instanceof Date ? 'date' : 'text' }",
    input: {},
    call: [{ a: 'soon' }, value('text')],
  },
  {
    name: 'shape',
    source:
      "export type Treatment = { kind: 'acid'; on: Date } | { kind: 'heat'; minutes: number }\nexport function shape(t: Treatment) { return t.kind === 'acid' ? t.on.getUTCFullYear() : t.minutes }",
    input: {
      t: { anyOf: [{ properties: { kind: { const: 'acid' } } }, { properties: { kind: { const: 'heat' } } }] },
    },
    call: [{ t: { kind: 'acid', on: '2026-06-02T06:00:00Z' } }, value(2026)],
    wrong: [{ t: { kind: 'smoke' } }, 't'],
  },
  {
    name: 'shapeOut',
    source:
      "export function shapeOut(wet: boolean): { kind: 'wet'; since: Date } | { kind: 'dry' } { return wet ? { kind: 'wet', since: new Date(0) } : { kind: 'dry' } }",
    input: {},
    call: [{ wet: true }, { kind: 'wet', since: '1970-01-01T00:00:00.000Z' }],
    output: { type: 'object', anyOf: [{}, {}] },
  },
  // Enums
  {
    name: 'enumText',
    source:
      "export enum Site { Marsh = 'marsh', Quarry = 'quarry' }\nexport function enumText(a: Site) { return a === Site.Quarry }",
    input: { a: { enum: ['marsh', 'quarry'] } },
    call: [{ a: 'quarry' }, value(true)],
    wrong: [{ a: 'Quarry' }, 'a'],
  },
  {
    name: 'enumNumber',
    source: 'export enum Mood { Calm, Wild }\nexport function enumNumber(a: Mood) { return Mood[a] }',
    input: {
      a: {
        oneOf: [
          { const: 0, title: 'Calm' },
          { const: 1, title: 'Wild' },
        ],
      },
    },
    call: [{ a: 1 }, value('Wild')],
    wrong: [{ a: 2 }, 'a'],
  },
  {
    name: 'enumMember',
    source: 'export enum Only { One = 7 }\nexport function enumMember(a: Only.One) { return a }',
    input: { a: { oneOf: [{ const: 7, title: 'One' }] } },
    call: [{ a: 7 }, value(7)],
    wrong: [{ a: 8 }, 'a'],
  },
  // Lists, tuples, records, maps, sets
  {
    name: 'list',
    source: 'export function list(a: string[]) { return a.join() }',
    input: { a: { type: 'array', items: { type: 'string' } } },
    call: [{ a: ['x', 'y'] }, value('x,y')],
    wrong: [{ a: [1] }, 'a'],
  },
  {
    name: 'readonlyList',
    source: 'export function readonlyList(a: readonly number[]) { return a.length }',
    input: { a: { type: 'array', items: { type: 'number' } } },
    call: [{ a: [1, 2] }, value(2)],
    wrong: [{ a: 1 }, 'a'],
  },
  {
    name: 'dates',
    source: 'export function dates(a: Date[]) { return a.map((d) => d.getUTCDate()) }',
    input: { a: { items: { format: 'date-time' } } },
    call: [{ a: ['2026-06-02T06:00:00Z'] }, value([2])],
    wrong: [{ a: ['today'] }, 'a'],
  },
  {
    name: 'pair',
    source: 'export function pair(a: [string, number]) { return a }',
    input: { a: { prefixItems: [{ type: 'string' }, { type: 'number' }], items: false, minItems: 2, maxItems: 2 } },
    call: [{ a: ['x', 1] }, value(['x', 1])],
    wrong: [{ a: ['x'] }, 'a'],
  },
  {
    name: 'tupleOptional',
    source: 'export function tupleOptional(a: [string, number?]) { return a.length }',
    input: { a: { minItems: 1, maxItems: 2 } },
    call: [{ a: ['x'] }, value(1)],
    wrong: [{ a: [] }, 'a'],
  },
  {
    name: 'tupleRest',
    source:
      'export function tupleRest(a: [string, ...Date[]]) { return a.slice(1).every((d) => d instanceof Date) }',
    input: { a: { prefixItems: [{ type: 'string' }], items: { format: 'date-time' }, minItems: 1 } },
    call: [{ a: ['x', '2026-06-02T06:00:00Z'] }, value(true)],
    wrong: [{ a: ['x', 1] }, 'a'],
  },
  {
    name: 'record',
    source: 'export function record(a: Record<string, number>) { return Object.values(a) }',
    input: { a: { type: 'object', additionalProperties: { type: 'number' } } },
    call: [{ a: { x: 1 } }, value([1])],
    wrong: [{ a: { x: 'one' } }, 'a'],
  },
  {
    name: 'recordOfNames',
    source: "export function recordOfNames(a: Record<'x' | 'y', number>) { return a.x + a.y }",
    input: {
      a: {
        properties: { x: { type: 'number' }, y: { type: 'number' } },
        required: ['x', 'y'],
        additionalProperties: false,
      },
    },
    call: [{ a: { x: 1, y: 2 } }, value(3)],
    wrong: [{ a: { x: 1 } }, 'a'],
  },
  {
    name: 'map',
    source: 'export function map(a: Map<string, number>) { return a instanceof Map && a.get("x") }',
    input: { a: { type: 'object', additionalProperties: { type: 'number' } } },
    call: [{ a: { x: 5 } }, value(5)],
    wrong: [{ a: [] }, 'a'],
  },
  {
    name: 'mapOfNumbers',
    source: 'export function mapOfNumbers(a: Map<number, Date>) { return a.get(4)?.getUTCFullYear() }',
    input: { a: { type: 'array', items: { prefixItems: [{ type: 'number' }, { format: 'date-time' }] } } },
    call: [{ a: [[4, '2026-06-02T06:00:00Z']] }, value(2026)],
    wrong: [{ a: { 4: 'x' } }, 'a'],
  },
  {
    name: 'mapOut',
    source: 'export function mapOut() { return new Map([["ML-04", new Date(0)]]) }',
    input: {},
    call: [{}, { 'ML-04': '1970-01-01T00:00:00.000Z' }],
    output: { type: 'object', additionalProperties: { format: 'date-time' } },
  },
  {
    name: 'mapPairsOut',
    source: 'export function mapPairsOut() { return new Map([[1, "a"]]) }',
    input: {},
    call: [{}, value([[1, 'a']])],
  },
  {
    name: 'set',
    source: 'export function set(a: Set<string>) { return a instanceof Set && a.size }',
    input: { a: { type: 'array', uniqueItems: true, items: { type: 'string' } } },
    call: [{ a: ['x', 'y'] }, value(2)],
    wrong: [{ a: ['x', 'x'] }, 'a'],
  },
  {
    name: 'setOut',
    source: 'export function setOut() { return new Set([3, 4]) }',
    input: {},
    call: [{}, value([3, 4])],
    output: { properties: { value: { type: 'array' } }, required: ['value'] },
  },
  // Types that JSON does not have
  {
    name: 'date',
    source: 'export function date(a: Date) { return a instanceof Date && a.getUTCDate() }',
    input: { a: { type: 'string', format: 'date-time' } },
    call: [{ a: '2026-06-02T06:00:00Z' }, value(2)],
    wrong: [{ a: '2 June' }, 'a'],
  },
  {
    name: 'dateOut',
    source: 'export function dateOut() { return { at: new Date(0), days: [new Date(1)] } }',
    input: {},
    call: [{}, { at: '1970-01-01T00:00:00.000Z', days: ['1970-01-01T00:00:00.001Z'] }],
    output: { properties: { at: { format: 'date-time' } } },
  },
  {
    name: 'address',
    source: 'export function address(a: URL) { return a instanceof URL && a.host }',
    input: { a: { type: 'string', format: 'uri' } },
    call: [{ a: 'https://apiary.example/x' }, value('apiary.example')],
    wrong: [{ a: 'no address' }, 'a'],
  },
  {
    name: 'addressOut',
    source: "export function addressOut() { return new URL('https://apiary.example/x') }",
    input: {},
    call: [{}, value('https://apiary.example/x')],
  },
  {
    name: 'bytes',
    source: 'export function bytes(a: Uint8Array) { return a instanceof Uint8Array && [...a] }',
    input: { a: { type: 'string', contentEncoding: 'base64' } },
    call: [{ a: 'AQL/' }, value([1, 2, 255])],
    wrong: [{ a: [1, 2] }, 'a'],
  },
  {
    name: 'bytesOut',
    source: 'export function bytesOut() { return new Uint8Array([1, 2, 255]) }',
    input: {},
    call: [{}, value('AQL/')],
  },
  // Parameters
  {
    name: 'optional',
    source: "export function optional(a: string, b?: number) { return b === undefined ? 'none' : b }",
    input: { b: { type: 'number' } },
    required: ['a'],
    call: [{ a: 'x' }, value('none')],
    wrong: [{}, 'a'],
  },
  {
    name: 'byDefault',
    source: "export function byDefault(a = 5, b: string = 'x', c = -1.5, d = [1]) { return [a, b, c, d] }",
    input: { a: { type: 'number', default: 5 }, b: { default: 'x' }, c: { default: -1.5 }, d: { default: [1] } },
    required: [],
    call: [{ b: 'y' }, value([5, 'y', -1.5, [1]])],
    wrong: [{ a: 'x' }, 'a'],
  },
  {
    name: 'computedDefault',
    source: 'export function computedDefault(a = Math.max(1, 2)) { return a }',
    input: { a: { type: 'number' } },
    required: [],
    call: [{}, value(2)],
  },
  {
    name: 'order',
    source: 'export function order(first: number, second: number, third: number) { return [first, second, third] }',
    input: {},
    call: [{ third: 3, first: 1, second: 2 }, value([1, 2, 3])],
    wrong: [{ first: 1, second: 2, third: 3, fourth: 4 }, 'fourth'],
  },
  {
    name: 'rest',
    source: 'export function rest(a: string, ...more: Date[]) { return more.map((d) => d instanceof Date) }',
    input: { more: { type: 'array', items: { format: 'date-time' } } },
    required: ['a'],
    call: [{ a: 'x', more: ['2026-06-02T06:00:00Z'] }, value([true])],
    wrong: [{ a: 'x', more: 'y' }, 'more'],
  },
  {
    name: 'destructured',
    source:
      'export function destructured({ hive, most = 5 }: { hive: string; most?: number }) { return [hive, most] }',
    input: { hive: { type: 'string' }, most: { type: 'number', default: 5 } },
    required: ['hive'],
    call: [{ hive: 'ML-04' }, value(['ML-04', 5])],
    wrong: [{ most: 5 }, 'hive'],
  },
  {
    name: 'renamedProperty',
    source: 'export function renamedProperty({ from: start = 2 }: { from?: number }) { return start }',
    input: { from: { type: 'number', default: 2 } },
    call: [{ from: 7 }, value(7)],
  },
  {
    name: 'mixed',
    source: 'export function mixed(hive: string, { on }: { on: Date }) { return hive + on.getUTCDate() }',
    input: { on: { format: 'date-time' } },
    required: ['hive', 'on'],
    call: [{ hive: 'x', on: '2026-06-02T06:00:00Z' }, value('x2')],
  },
  {
    name: 'colliding',
    source: 'export function colliding(hive: string, { hive: other }: { hive: string }) { return hive + other }',
    input: { options: { type: 'object', properties: { hive: { type: 'string' } } } },
    call: [{ hive: 'a', options: { hive: 'b' } }, value('ab')],
  },
  {
    name: 'wholeObject',
    source:
      'export interface Found { on: Date; note?: string }\nexport function wholeObject(found: Found) { return found.on.getUTCDate() }',
    input: { found: { type: 'object', required: ['on'], additionalProperties: false } },
    call: [{ found: { on: '2026-06-02T06:00:00Z' } }, value(2)],
    wrong: [{ found: { on: '2026-06-02T06:00:00Z', noet: 'x' } }, 'noet'],
  },
  // Interfaces, generics, utility types
  {
    name: 'inherits',
    source:
      'export interface Base { id: number }\nexport interface Sub extends Base { name: string }\nexport function inherits(a: Sub) { return a.id + a.name }',
    input: { a: { properties: { id: { type: 'number' }, name: { type: 'string' } }, required: ['name', 'id'] } },
    call: [{ a: { id: 1, name: 'x' } }, value('1x')],
    wrong: [{ a: { name: 'x' } }, 'id'],
  },
  {
    name: 'both',
    source: 'export function both(a: { x: number } & { y: number }) { return a.x + a.y }',
    input: { a: { properties: { x: { type: 'number' }, y: { type: 'number' } } } },
    call: [{ a: { x: 1, y: 2 } }, value(3)],
    wrong: [{ a: { x: 1 } }, 'y'],
  },
  {
    name: 'generic',
    source:
      'export interface Page<T> { items: T[]; next?: string }\nexport function generic(a: Page<number>): Page<string> { return { items: a.items.map(String) } }',
    input: { a: { properties: { items: { items: { type: 'number' } } } } },
    call: [{ a: { items: [1] } }, { items: ['1'] }],
    wrong: [{ a: { items: ['x'] } }, 'items'],
  },
  {
    name: 'open',
    source: 'export function open<T extends { id: number }>(a: T) { return a.id }',
    input: { a: { properties: { id: { type: 'number' } } } },
    call: [{ a: { id: 3 } }, value(3)],
  },
  {
    name: 'picked',
    source:
      "export interface Hive { code: string; site: string; kg: number }\nexport function picked(a: Pick<Hive, 'code' | 'kg'>) { return Object.keys(a) }",
    input: { a: { properties: { code: {}, kg: {} }, required: ['code', 'kg'] } },
    call: [{ a: { code: 'x', kg: 1 } }, value(['code', 'kg'])],
    wrong: [{ a: { code: 'x', kg: 1, site: 'y' } }, 'site'],
  },
  {
    name: 'omitted',
    source: "export function omitted(a: Omit<Hive, 'kg'>) { return a.site }",
    input: { a: { required: ['code', 'site'] } },
    call: [{ a: { code: 'x', site: 'y' } }, value('y')],
    wrong: [{ a: { code: 'x' } }, 'site'],
  },
  {
    name: 'partly',
    source: 'export function partly(a: Partial<Hive>) { return Object.keys(a).length }',
    input: { a: { properties: { code: {}, site: {}, kg: {} } } },
    call: [{ a: {} }, value(0)],
    wrong: [{ a: { kg: 'x' } }, 'kg'],
  },
  {
    name: 'tree',
    source:
      'export interface Node { name: string; since?: Date; children: Node[] }\nexport function tree(a: Node): string[] { return [a.name + (a.since instanceof Date), ...a.children.flatMap(tree)] }',
    input: { a: { $ref: '#/$defs/Node' } },
    call: [
      { a: { name: 'a', children: [{ name: 'b', since: '2026-06-02T06:00:00Z', children: [] }] } },
      value(['afalse', 'btrue']),
    ],
    wrong: [{ a: { name: 'a', children: [{}] } }, 'name'],
  },
  {
    name: 'treeOut',
    source:
      'export interface Leaf { at: Date; next?: Leaf }\nexport function treeOut(): Leaf { return { at: new Date(0), next: { at: new Date(1) } } }',
    input: {},
    call: [{}, { at: '1970-01-01T00:00:00.000Z', next: { at: '1970-01-01T00:00:00.001Z' } }],
    output: { $ref: '#/$defs/Leaf' },
  },
  {
    name: 'branded',
    source:
      "export type Code = string & { readonly __brand: 'code' }\nexport function branded(a: Code) { return a.length }",
    input: { a: { type: 'string' } },
    call: [{ a: 'xy' }, value(2)],
    wrong: [{ a: 1 }, 'a'],
  },
  {
    name: 'whatever',
    source: 'export function whatever(a: unknown) { return typeof a }',
    input: { a: {} },
    call: [{ a: [1] }, value('object')],
  },
  {
    name: 'mappedType',
    source: 'export function mappedType(a: { [K in keyof Hive]?: boolean }) { return a.kg }',
    input: { a: { properties: { kg: { type: 'boolean' } } } },
    call: [{ a: { kg: true } }, value(true)],
  },
  {
    name: 'indexed',
    source: "export function indexed(a: Hive['kg']) { return a }",
    input: { a: { type: 'number' } },
    call: [{ a: 2 }, value(2)],
  },
  // Constraints
  {
    name: 'constrainedParam',
    source:
      '/** Feeds.\n * @param kg Sugar in kilograms.\n * @minimum 0\n * @maximum 60\n * @param note A note.\n * @maxLength 5\n */\nexport function constrainedParam(kg: number, note: string) { return kg + note }',
    input: {
      kg: { type: 'number', minimum: 0, maximum: 60, description: 'Sugar in kilograms.' },
      note: { maxLength: 5 },
    },
    call: [{ kg: 5, note: 'x' }, value('5x')],
    wrong: [{ kg: 61, note: 'x' }, 'kg'],
  },
  {
    name: 'constrainedInline',
    source:
      'export function constrainedInline(/** Hive code. @pattern ^ML-\\d\\d$ */ hive: string) { return hive }',
    input: { hive: { pattern: '^ML-\\d\\d$' } },
    call: [{ hive: 'ML-04' }, value('ML-04')],
    wrong: [{ hive: 'x' }, 'hive'],
  },
  {
    name: 'constrainedProperty',
    source:
      'export interface Weighing {\n/** Weight.\n * @exclusiveMinimum 0 */\nkg: number\n/** @format email */ by: string\n/** @integer */ frames: number }\nexport function constrainedProperty(w: Weighing) { return w.kg }',
    input: {
      w: {
        properties: {
          kg: { exclusiveMinimum: 0, description: 'Weight.' },
          by: { format: 'email' },
          frames: { type: 'integer' },
        },
      },
    },
    call: [{ w: { kg: 1, by: 'a@b.example', frames: 2 } }, value(1)],
    wrong: [{ w: { kg: 1, by: 'a', frames: 2 } }, 'by'],
  },
  {
    name: 'constrainedAlias',
    source:
      '/** A share of a hundred.\n * @minimum 0\n * @maximum 100 */\nexport type Percent = number\nexport function constrainedAlias(p: Percent) { return p }',
    input: { p: { type: 'number', minimum: 0, maximum: 100, description: 'A share of a hundred.' } },
    call: [{ p: 5 }, value(5)],
    wrong: [{ p: 101 }, 'p'],
  },
  {
    name: 'constrainedByName',
    source:
      '/** Counts.\n * @param a First.\n * @param b Second.\n * @minimum a 3\n */\nexport function constrainedByName(a: number, b: number) { return a + b }',
    input: { a: { minimum: 3 } },
    call: [{ a: 3, b: 1 }, value(4)],
    wrong: [{ a: 2, b: 1 }, 'a'],
  },
  // Results
  {
    name: 'later',
    source: 'export async function later(a: number): Promise<{ twice: number }> { return { twice: a * 2 } }',
    input: {},
    call: [{ a: 2 }, { twice: 4 }],
    output: { type: 'object', properties: { twice: { type: 'number' } } },
  },
  {
    name: 'maybe',
    source: 'export function maybe(a: boolean): string | undefined { return a ? "x" : undefined }',
    input: {},
    call: [{ a: false }, {}],
    output: { properties: { value: { type: 'string' } } },
  },
  {
    name: 'generated',
    source: 'export function* generated(n: number) { for (let i = 0; i < n; i++) yield i }',
    input: {},
    call: [{ n: 3 }, value([0, 1, 2])],
  },
  {
    name: 'streamed',
    source:
      'export async function* streamed(n: number): AsyncGenerator<Date> { for (let i = 0; i < n; i++) yield new Date(i) }',
    input: {},
    call: [{ n: 2 }, value(['1970-01-01T00:00:00.000Z', '1970-01-01T00:00:00.001Z'])],
  },
  {
    name: 'instance',
    source:
      'export class Scale { private secret = 1; kg = 4; weigh() { return this.secret } }\nexport function instance() { return new Scale() }',
    input: {},
    call: [{}, { kg: 4 }],
    output: { properties: { kg: { type: 'number' } }, required: ['kg'] },
  },
  // Names that clash
  {
    name: 'reserved',
    source:
      'export function reserved({ class: kind, call, default: other = 1 }: { class: string; call: number; default?: number }) { return [kind, call, other] }',
    input: { class: { type: 'string' }, call: { type: 'number' }, default: { type: 'number', default: 1 } },
    call: [{ class: 'a', call: 2 }, value(['a', 2, 1])],
    wrong: [{ class: 1, call: 2 }, 'class'],
  },
  {
    name: 'shadowing',
    source: 'export function shadowing(cases: Date, result: Date) { return { cases, result } }',
    input: { cases: { format: 'date-time' } },
    call: [
      { cases: '2026-06-02T06:00:00Z', result: '2026-06-02T07:00:00Z' },
      { cases: '2026-06-02T06:00:00.000Z', result: '2026-06-02T07:00:00.000Z' },
    ],
  },
  {
    name: 'textOrBytes',
    source: 'export function textOrBytes(a: string | Uint8Array) { return typeof a }',
    input: { a: { anyOf: [{ type: 'string' }, { contentEncoding: 'base64' }] } },
    call: [{ a: 'abcd' }, value('string')],
    wrong: [{ a: 1 }, 'a'],
  },
  {
    name: 'numberOrBig',
    source: 'export function numberOrBig(a: number | bigint) { return typeof a }',
    input: { a: { anyOf: [{ type: 'number' }, { type: 'string' }] } },
    call: [{ a: '5' }, value('bigint')],
    wrong: [{ a: 'five' }, 'a'],
  },
]
