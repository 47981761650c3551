import type { JsonSchema } from '../../kit/schema.js'

const integer: JsonSchema = { type: 'integer' }
const number: JsonSchema = { type: 'number' }
const text: JsonSchema = { type: 'string' }
const flag: JsonSchema = { type: 'boolean' }
/** Integers and decimals that JSON numbers would round are returned as text. */
const large: JsonSchema = { anyOf: [{ type: 'integer' }, { type: 'string', pattern: '^-?\\d+$' }] }
const decimal: JsonSchema = {
  anyOf: [{ type: 'number' }, { type: 'string', pattern: '^(-?\\d+(\\.\\d+)?([eE][+-]?\\d+)?|NaN|-?Infinity)$' }],
}
const bytes: JsonSchema = { type: 'string', contentEncoding: 'base64' }
const date: JsonSchema = { type: 'string', format: 'date' }
const time: JsonSchema = { type: 'string', description: 'Time, ISO 8601.' }

/** By the declared type of a column; in SQLite declarations are loose, and computed columns have none. */
export function sqliteSchema(declared: string | null): JsonSchema {
  if (declared === null) return {}
  const type = declared.toUpperCase()
  if (/BOOL/.test(type)) return { type: 'integer', description: '1 for yes, 0 for no.' }
  if (/INT/.test(type)) return large
  if (/CHAR|CLOB|TEXT|DATE|TIME|JSON/.test(type)) return text
  if (/REAL|FLOA|DOUB/.test(type)) return number
  if (/NUMERIC|DECIMAL/.test(type)) return decimal
  return type.includes('BLOB') ? bytes : {}
}

/** By the object identifier of the type in PostgreSQL. */
export const postgresSchemas: Readonly<Record<number, JsonSchema>> = {
  16: flag,
  17: bytes,
  20: large,
  21: integer,
  23: integer,
  26: integer,
  25: text,
  1043: text,
  1042: text,
  18: text,
  19: text,
  2950: { type: 'string', format: 'uuid' },
  // Values in it that are not numbers are returned as text.
  700: decimal,
  701: decimal,
  1700: decimal,
  1082: date,
  1083: text,
  1114: time,
  1184: time,
  1186: text,
  114: {},
  3802: {},
}

/** Array types of PostgreSQL, with the types of their items. */
export const postgresArrays: Readonly<Record<number, number>> = {
  ...{
    1000: 16,
    1001: 17,
    1016: 20,
    1005: 21,
    1007: 23,
    1028: 26,
    1009: 25,
    1015: 1043,
    1014: 1042,
    1002: 18,
    1003: 19,
  },
  ...{ 2951: 2950, 1021: 700, 1022: 701, 1231: 1700, 1182: 1082, 1183: 1083, 1115: 1114, 1185: 1184, 1187: 1186 },
  ...{ 199: 114, 3807: 3802 },
}

/** By the name of a type in `information_schema` and in the drivers of MySQL and MariaDB. */
export function namedTypeSchema(name: string): JsonSchema {
  const type = name.toLowerCase()
  if (type.startsWith('_') && type.length > 1) {
    const items = namedTypeSchema(type.slice(1))
    return {
      type: 'array',
      ...(Object.keys(items).length > 0 ? { items: { anyOf: [items, { type: 'null' }] } } : {}),
    }
  }
  if (/^(tiny|small|medium)?int(eger)?$|^year$|^int[24]$|^oid$/.test(type)) return integer
  if (/^bigint$|^int8$/.test(type)) return large
  if (/^(float|double|real|float[48])/.test(type)) return number
  if (/^(decimal|numeric|newdecimal)/.test(type)) return decimal
  if (/^bool/.test(type)) return flag
  if (type === 'date') return date
  if (/^(datetime|timestamp)/.test(type)) return time
  if (/blob|binary|bytea/.test(type)) return bytes
  if (/json/.test(type)) return {}
  if (type === 'uuid') return { type: 'string', format: 'uuid' }
  return /char|text|enum|set|time|string/.test(type) ? text : {}
}
