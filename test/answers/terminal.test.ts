import { askOnTerminal } from '../../src/answers/terminal.js'
import type { Question } from '../../src/link/server-requests.js'

/** A terminal where somebody types these lines. */
function typing(...lines: string[]) {
  const said: string[] = []
  const ask = async (prompt: string) => {
    said.push(prompt)
    return lines.shift()
  }
  return { said, terminal: { ask, say: (text: string) => void said.push(text) } }
}
const form = (properties: Record<string, unknown>, required: string[] = []) =>
  ({ kind: 'form', message: 'How heavy?', schema: { type: 'object', properties, required } }) as unknown as Question
const fields = {
  kg: { type: 'number', minimum: 1 },
  site: { type: 'string', enum: ['Quarry Field', 'Marsh'], default: 'Marsh' },
  days: { type: 'array', items: { type: 'string', enum: ['Mon', 'Tue', 'Wed'] } },
}

test.each<[string, string[], unknown, RegExp]>([
  [
    'values',
    ['y', '7', 'Quarry Field', 'Mon, Wed'],
    { action: 'accept', content: { kg: 7, site: 'Quarry Field', days: ['Mon', 'Wed'] } },
    /days \(/,
  ],
  [
    'invalid values, until they are valid',
    ['yes', 'x', '0', '7', 'nowhere', '', 'Sun', 'Tue'],
    { action: 'accept', content: { kg: 7, days: ['Tue'] } },
    /"x" is not valid: .*number[\s\S]*0 is not valid: .*1[\s\S]*"nowhere" is not valid[\s\S]*\["Sun"\] is not valid/,
  ],
  ['a required value, again', ['y', '', '2', '', ''], { action: 'accept', content: { kg: 2 } }, /kg is required/],
  ['other keys, again', ['maybe', 'ja', 'n'], { action: 'decline' }, /Type y, n, or press Enter[\s\S]*Type y, n/],
  ['nothing', [''], { action: 'cancel' }, /Answer it\?/],
  ['the end of the input', ['y', '7'], { action: 'cancel' }, /site/],
])('accepts %s', async (_what, lines, expected, asked) => {
  const { terminal, said } = typing(...lines)
  expect(await askOnTerminal(terminal)(form(fields, ['kg']))).toStrictEqual(expected)
  expect(said.join('\n')).toMatch(asked)
})

test('asks again whether to open a page', async () => {
  const { terminal, said } = typing('what', 'y')
  const visit = { kind: 'url', message: 'Log in.', url: 'https://bees.example/login' } as unknown as Question
  expect(await askOnTerminal(terminal)(visit)).toStrictEqual({ action: 'accept' })
  expect(said.join('\n')).toContain('a page on bees.example:\n  https://bees.example/login')
})
