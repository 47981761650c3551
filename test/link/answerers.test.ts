import { alwaysAnswer, answersFrom, type Question } from 'jexo/link'

const form = { kind: 'form', message: 'Which hive?', schema: {} } as unknown as Question
const page = (url: string) => ({ kind: 'url', message: 'Sign in.', url, elicitationId: '1' }) as unknown as Question
const [safe, unsafe] = [page('https://id.example/'), page('http://id.example/')]

test.each([
  ['accept', form, 'accept'],
  ['accept', safe, 'accept'],
  ['accept', page('http://127.0.0.1:4870/'), 'accept'],
  ['accept', unsafe, 'decline'],
  ['decline', form, 'decline'],
  ['cancel', safe, 'cancel'],
  ['cancel', unsafe, 'cancel'],
] as const)('%s for every question: %j is answered with %s', async (action, question, expected) => {
  expect(await alwaysAnswer(action)(question)).toStrictEqual({ action: expected })
})

test('prepared answers are used once, in order, and accept no page that is neither encrypted nor local', async () => {
  const unanswered: string[] = []
  const answer = answersFrom(
    [
      { about: 'hive', action: 'accept', content: { hive: 'ML-04' } },
      { about: 'Sign', action: 'accept' },
      { about: 'Sign', action: 'decline' },
      { action: 'accept' },
    ],
    (message) => unanswered.push(message),
  )
  const answers: unknown[] = []
  for (const question of [form, unsafe, safe, safe, form]) answers.push(await answer(question))
  expect(answers).toStrictEqual([
    { action: 'accept', content: { hive: 'ML-04' } },
    { action: 'decline' },
    { action: 'decline' },
    { action: 'accept' },
    { action: 'cancel' },
  ])
  expect(unanswered).toStrictEqual(['Which hive?'])
})
