import { verbs } from '../../src/cli/main.js'
import { type VerbName, verbTexts } from '../../src/cli/text/verb-texts.js'

const names = Object.keys(verbTexts) as VerbName[]

test('every verb has a line in the main help', () => {
  expect(Object.keys(verbs)).toStrictEqual(names)
})

test.each(names)('the line of %s names the arguments of the verb', async (name) => {
  const command = (await verbs[name]())()
  expect(command.name()).toBe(name)
  expect(command.description()).toBe(verbTexts[name].about)
  expect(command.usage().replace('[options]', '').trim()).toBe(verbTexts[name].usage)
})
