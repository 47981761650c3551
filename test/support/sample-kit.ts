import { content, defineKit, type Kit, noOutput, prompt, Refusal, resource, shared, template, tool } from 'jexo'
import { z } from 'zod'

/** A kit with one of everything, for tests of the protocol. */
export function sampleKit(): Kit {
  const counter = shared(() => ({ value: 0 }))
  return defineKit({
    name: 'sample',
    version: '2.0.0',
    title: 'Sample',
    about: 'One of everything.',
    icons: [{ src: 'data:image/svg+xml,%3Csvg/%3E' }],
    parts: [
      tool('add', {
        title: 'Add',
        about: 'Adds two numbers.',
        input: z.object({ a: z.number().describe('First'), b: z.number().default(1) }),
        output: z.object({ sum: z.number() }),
        effect: 'read',
        meta: { 'example.test/colour': 'blue' },
        run: ({ a, b }) => ({ sum: a + b }),
      }),
      tool('plain', {
        about: 'Takes plain JSON Schema.',
        input: { type: 'object', properties: { when: { type: 'string', format: 'date' } }, required: ['when'] },
        effect: 'read',
        run: ({ when }) => `on ${when}`,
      }),
      tool('say', {
        about: 'Gives whatever kind of value is asked for.',
        input: z.object({ kind: z.string() }),
        effect: 'read',
        run: ({ kind }) => values[kind]?.(),
      }),
      tool('quiet', { about: 'Returns nothing on purpose.', effect: 'change', output: noOutput, run: () => {} }),
      tool('broken_output', {
        about: 'Returns what its schema does not allow.',
        effect: 'read',
        output: z.object({ sum: z.number() }),
        run: () => ({ sum: 'three' }) as never,
      }),
      tool('count', {
        about: 'Counts up a shared thing and touches its resource.',
        effect: 'add',
        async run(_, call) {
          const open = await call.use(counter)
          open.value++
          call.resourceUpdated('sample://counter')
          return open.value
        },
      }),
      tool('steps', {
        about: 'Reports progress and logs.',
        effect: 'read',
        run(_, call) {
          call.progress(1, 3, 'one')
          call.progress(1, 3, 'again')
          call.progress(3, 3, 'three')
          call.log.debug('too fine')
          call.log.warning('mind this', { token: call.meta.token })
          return 'done'
        },
      }),
      tool('slow_steps', {
        about: 'Takes a while, with progress on the way.',
        effect: 'read',
        async run(_, call) {
          for (const step of [1, 2, 3]) {
            await new Promise((resolve) => setTimeout(resolve, 40))
            call.progress(step, 3)
          }
          return 'slow done'
        },
      }),
      tool('wait', {
        about: 'Waits until it is cancelled.',
        effect: 'read',
        run: (_, call) =>
          new Promise((_resolve, reject) => {
            call.signal.addEventListener('abort', () => reject(call.signal.reason))
          }),
      }),
      resource('sample://counter', {
        name: 'counter',
        about: 'The counter.',
        read: async (call) => call.use(counter),
      }),
      resource('sample://bytes', {
        name: 'bytes',
        about: 'Three bytes.',
        annotations: { priority: 0.5, lastModified: '2026-06-02T06:00:00Z' },
        read: () => new Uint8Array([1, 2, 255]),
      }),
      resource('sample://both', {
        name: 'both',
        about: 'Two contents.',
        read: () => [
          content.embed({ uri: 'sample://both#1', text: 'one' }),
          content.embed({ uri: 'sample://both#2', bytes: new Uint8Array([7]) }),
        ],
      }),
      template('sample://words/{word}', {
        name: 'word',
        about: 'A word.',
        list: () => ['ant', 'bee', 'cat'].map((word) => ({ uri: `sample://words/${word}`, name: word })),
        complete: { word: (typed) => Array.from({ length: 120 }, (_, index) => `${typed}${index}`) },
        read: ({ word }) => {
          if (word === 'dog') throw new Refusal('There is no dog here.')
          return `the word ${word}`
        },
      }),
      prompt('greet', {
        about: 'Greets.',
        input: z.object({ name: z.string().describe('Who'), tone: z.enum(['warm', 'plain']).optional() }),
        complete: { name: (typed, call) => [`${typed}!`, call.filled.tone ?? 'no tone'] },
        run: ({ name, tone }) => [`Hello ${name}`, { role: 'assistant', content: tone ?? 'plain' }],
      }),
    ],
  })
}

const values: Record<string, () => unknown> = {
  text: () => 'words',
  json: () => ({ a: [1, 2] }),
  nothing: () => undefined,
  image: () => content.image(new Uint8Array([137, 80]), 'image/png'),
  audio: () => content.audio(new Uint8Array([1]), 'audio/wav'),
  link: () => content.link({ uri: 'sample://counter', name: 'counter', title: 'The counter' }),
  mixed: () => ['before', content.text('after', { annotations: { audience: ['user'] } })],
  refusal: () => {
    throw new Refusal('Not on Sundays.')
  },
  crash: () => {
    throw new Error('secret path /srv/hidden')
  },
}
