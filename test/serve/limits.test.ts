import { readFileSync } from 'node:fs'
import { readLimits } from '../../src/serve/limits.js'
import { httpLimits } from '../../src/transport/http/limits.js'

test('limits are read as numbers from environment variables', () => {
  expect(readLimits({})).toStrictEqual({ http: {} })
  expect(
    readLimits({ JEXO_MAX_BYTES: '1000', JEXO_IDLE_MS: '5', JEXO_DRAIN_MS: '0', JEXO_PAGE_SIZE: '', OTHER: 'x' }),
  ).toStrictEqual({ maxBytes: 1000, drainMs: 0, http: { maxBytes: 1000, idleMs: 5 } })
})

test.each(['-1', '0', 'ten', '1.5', '1e9', ' 5'])('%p sessions is refused, and the variable named', (text) => {
  expect(() => readLimits({ JEXO_MAX_SESSIONS: text })).toThrow(
    `JEXO_MAX_SESSIONS=${text} is not valid; expected a whole number, such as 5000`,
  )
})

test('every limit of the endpoint has a variable, and the guide lists it', () => {
  const guide = readFileSync(`${import.meta.dirname}/../../docs/guide/running.md`, 'utf8')
  for (const name of Object.keys(httpLimits)) {
    const variable = `JEXO_${name.replace(/[A-Z]/g, (letter) => `_${letter}`).toUpperCase()}`
    expect(readLimits({ [variable]: '7' }).http).toStrictEqual({ [name]: 7 })
    expect(guide).toContain(`\`limits.${name}\` | \`${variable}\``)
  }
})
