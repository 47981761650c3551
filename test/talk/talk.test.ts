import { defineKit, prompt, resource, template, tool } from 'jexo'
import { connect } from 'jexo/link'
import { z } from 'zod'
import { completeLine } from '../../src/talk/complete.js'
import { bin, Running, written } from '../support/cli.js'

const kit = defineKit({
  name: 'desk',
  version: '1.0.0',
  parts: [
    tool('weigh_hive', {
      about: 'Weighs.',
      effect: 'read',
      input: z.object({ unit: z.enum(['kg', 'lb']), exact: z.boolean().optional(), hive: z.string() }),
      run: () => 'done',
    }),
    tool('weigh_site', { about: 'Weighs.', effect: 'read', run: () => 'done' }),
    resource('hives://all', { name: 'all', about: 'All.', read: () => '' }),
    template('hives://{site}/{hive}', {
      name: 'hive',
      about: 'A hive.',
      complete: {
        site: (typed) => ['Marsh', 'Meadow'].filter((site) => site.startsWith(typed)),
        hive: (_, { filled }) => (filled.site === 'Marsh' ? ['ML-04', 'a b'] : []),
      },
      read: () => '',
    }),
    prompt('letter', {
      about: 'A letter.',
      input: z.object({ to: z.enum(['Ada', 'Bo']), about: z.string() }),
      complete: { about: (_, { filled }) => [`for-${filled.to}`, '\u001b[31mred'] },
      run: () => '',
    }),
  ],
})

test.each([
  ['ca', ['call']],
  ['call weigh_', ['weigh_hive', 'weigh_site']],
  ['call weigh_hive ', ['unit=', 'exact=', 'hive=']],
  ['call weigh_hive unit=', ['unit=kg', 'unit=lb']],
  ['call weigh_hive unit=kg exact=t', ['exact=true']],
  ['call weigh_hive hive=', []],
  ['call nothing ', []],
  ['read hives://', ['hives://all', 'hives://Marsh', 'hives://Meadow']],
  ['read h', ['hives://all', 'hives://']],
  ['read hives://Marsh/', ['hives://Marsh/ML-04', 'hives://Marsh/a%20b']],
  ['fill l', ['letter']],
  ['fill letter ', ['to=', 'about=']],
  ['fill letter to=', ['to=Ada', 'to=Bo']],
  ['fill letter to=Bo about=', ['about=for-Bo']],
  ['list ', []],
])('completes %j', async (line, expected) => {
  const link = await connect(kit)
  const [candidates, replaced] = await completeLine(link, line)
  expect(candidates).toStrictEqual(expected)
  expect(replaced).toBe(line.split(' ').at(-1))
  await link.close()
})

test('Ctrl-C cancels the running call, and the session goes on', async () => {
  const file = written(
    'slow.kit.ts',
    `import { defineKit, tool } from 'jexo'
     export default defineKit({ name: 'slow', version: '1.0.0', parts: [
       tool('wait', { about: 'Waits.', effect: 'read', run: (_, call) => new Promise(() => {
         console.error('waiting')
         call.signal.addEventListener('abort', () => console.error('heard of it'))
       }) }),
       tool('go', { about: 'Goes.', effect: 'read', run: () => 'went' }),
     ] })`,
  )
  const talk = new Running([bin, 'talk', file])
  talk.child.stdin.write('call wait\n')
  await talk.until(/waiting/)
  talk.child.kill('SIGINT')
  await talk.until(/cancelled[\s\S]*heard of it|heard of it[\s\S]*cancelled/)
  talk.child.stdin.end('call go\n')
  await talk.until(/went/)
  await new Promise((ended) => talk.child.once('close', ended))
  expect(talk.child.exitCode).toBe(0)
})
