/**
 * Serialization of values in OpenAPI: location × style × explode × type, from the tables of the specification (Parameter Object), whose
 * styles are those of RFC 6570. `sent` is the expected text, byte for byte; undefined if nothing is sent.
 */
export interface StyleCase {
  in: 'path' | 'query' | 'header' | 'cookie'
  style: string
  explode: boolean
  type: 'empty' | 'string' | 'number' | 'boolean' | 'array' | 'object'
  sent: string | undefined
}

export const values = {
  empty: '',
  string: 'blue sky/ü',
  number: 41.5,
  boolean: true,
  array: ['blue', 'bl,ack', 'brown&'],
  object: { R: 100, G: 'a b', B: 150 },
} as const

const rows: [StyleCase['in'], string, boolean, Partial<Record<StyleCase['type'], string | undefined>>][] = [
  [
    'path',
    'simple',
    false,
    {
      string: 'blue%20sky%2F%C3%BC',
      number: '41.5',
      boolean: 'true',
      array: 'blue,bl%2Cack,brown%26',
      object: 'R,100,G,a%20b,B,150',
    },
  ],
  [
    'path',
    'simple',
    true,
    {
      string: 'blue%20sky%2F%C3%BC',
      number: '41.5',
      boolean: 'true',
      array: 'blue,bl%2Cack,brown%26',
      object: 'R=100,G=a%20b,B=150',
    },
  ],
  [
    'path',
    'label',
    false,
    {
      string: '.blue%20sky%2F%C3%BC',
      number: '.41.5',
      boolean: '.true',
      array: '.blue,bl%2Cack,brown%26',
      object: '.R,100,G,a%20b,B,150',
    },
  ],
  [
    'path',
    'label',
    true,
    {
      string: '.blue%20sky%2F%C3%BC',
      number: '.41.5',
      boolean: '.true',
      array: '.blue.bl%2Cack.brown%26',
      object: '.R=100.G=a%20b.B=150',
    },
  ],
  [
    'path',
    'matrix',
    false,
    {
      empty: ';color',
      string: ';color=blue%20sky%2F%C3%BC',
      number: ';color=41.5',
      boolean: ';color=true',
      array: ';color=blue,bl%2Cack,brown%26',
      object: ';color=R,100,G,a%20b,B,150',
    },
  ],
  [
    'path',
    'matrix',
    true,
    {
      empty: ';color',
      string: ';color=blue%20sky%2F%C3%BC',
      number: ';color=41.5',
      boolean: ';color=true',
      array: ';color=blue;color=bl%2Cack;color=brown%26',
      object: ';R=100;G=a%20b;B=150',
    },
  ],
  [
    'query',
    'form',
    false,
    {
      empty: 'color=',
      string: 'color=blue%20sky%2F%C3%BC',
      number: 'color=41.5',
      boolean: 'color=true',
      array: 'color=blue,bl%2Cack,brown%26',
      object: 'color=R,100,G,a%20b,B,150',
    },
  ],
  [
    'query',
    'form',
    true,
    {
      empty: 'color=',
      string: 'color=blue%20sky%2F%C3%BC',
      number: 'color=41.5',
      boolean: 'color=true',
      array: 'color=blue&color=bl%2Cack&color=brown%26',
      object: 'R=100&G=a%20b&B=150',
    },
  ],
  [
    'query',
    'spaceDelimited',
    false,
    { array: 'color=blue%20bl%2Cack%20brown%26', object: 'color=R%20100%20G%20a%20b%20B%20150' },
  ],
  [
    'query',
    'pipeDelimited',
    false,
    { array: 'color=blue%7Cbl%2Cack%7Cbrown%26', object: 'color=R%7C100%7CG%7Ca%20b%7CB%7C150' },
  ],
  ['query', 'deepObject', true, { object: 'color%5BR%5D=100&color%5BG%5D=a%20b&color%5BB%5D=150' }],
  [
    'header',
    'simple',
    false,
    {
      number: '41.5',
      boolean: 'true',
      string: 'blue sky/ü',
      array: 'blue,bl,ack,brown&',
      object: 'R,100,G,a b,B,150',
    },
  ],
  [
    'header',
    'simple',
    true,
    {
      number: '41.5',
      boolean: 'true',
      string: 'blue sky/ü',
      array: 'blue,bl,ack,brown&',
      object: 'R=100,G=a b,B=150',
    },
  ],
  [
    'cookie',
    'form',
    false,
    {
      empty: 'color=',
      string: 'color=blue%20sky%2F%C3%BC',
      number: 'color=41.5',
      boolean: 'color=true',
      array: 'color=blue,bl%2Cack,brown%26',
      object: 'color=R,100,G,a%20b,B,150',
    },
  ],
  [
    'cookie',
    'form',
    true,
    {
      empty: 'color=',
      string: 'color=blue%20sky%2F%C3%BC',
      number: 'color=41.5',
      boolean: 'color=true',
      array: 'color=blue&color=bl%2Cack&color=brown%26',
      object: 'R=100&G=a%20b&B=150',
    },
  ],
]

export const styleCases: StyleCase[] = rows.flatMap(([place, style, explode, types]) =>
  Object.entries(types).map(([type, sent]) => ({
    in: place,
    style,
    explode,
    type: type as StyleCase['type'],
    sent,
  })),
)
