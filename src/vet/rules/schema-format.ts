import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

const known = new Set(
  'date date-time time duration email uri uuid ipv4 ipv6 hostname regex int32 int64 float double'.split(' '),
)

export const schemaFormat: Rule = {
  id: 'schema-format',
  group: 'schemas',
  severity: 'warning',
  about: 'Formats that chat endpoints do not know.',
  check: (snapshot) =>
    inInputs(snapshot, ({ format }) => (typeof format === 'string' && !known.has(format) ? format : undefined)).map(
      ({ tool, path, found }) => ({
        location: placeIn(tool, path),
        problem: `some chat endpoints do not know the format ${JSON.stringify(found)}`,
        fix: 'state it in the description, or use a pattern',
      }),
    ),
}
