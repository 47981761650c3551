import { defineKit, type Kit, Refusal, tool } from 'jexo'
import { z } from 'zod'
import { sampleKit } from '../support/sample-kit.js'

const growing = tool('grow', {
  about: 'Adds a tool to the kit, or takes it away again.',
  effect: 'change',
  run() {
    const isGrown = kit.parts.some(({ name }) => name === 'grown')
    kit.replace(isGrown ? kit.parts.filter(({ name }) => name !== 'grown') : [...kit.parts, grown])
    return isGrown ? 'gone' : 'grown'
  },
})
const grown = tool('grown', { about: 'Was added while the kit ran.', effect: 'read', run: () => 'here' })

/** A kit with everything that a row of the table needs. */
const kit: Kit = defineKit({
  name: 'everything',
  version: '1.0.0',
  title: 'Everything',
  about: 'One of everything that the standard knows.',
  websiteUrl: 'https://apiary.example/',
  icons: [{ src: 'data:image/svg+xml,%3Csvg/%3E' }],
  parts: [
    ...sampleKit().parts,
    growing,
    tool('long_count', { about: 'Counts, slowly.', effect: 'read', task: 'optional', run: () => 'counted' }),
    tool('task_only', { about: 'Counts for hours.', effect: 'read', task: 'required', run: () => 'counted' }),
    tool('ask_form', {
      about: 'Asks for a weight.',
      effect: 'read',
      run: (_, call) => call.askPerson('How heavy is the hive?', z.object({ kg: z.number().min(1) })),
    }),
    tool('ask_by_url', {
      about: 'Sends the person to a page.',
      effect: 'read',
      async run(_, call) {
        const sent = await call.sendPersonTo('https://apiary.example/pay', 'Please pay the fee.')
        sent.finished()
        return sent.action
      },
    }),
    tool('needs_visit', {
      about: 'Cannot go on before a page was visited.',
      effect: 'read',
      run: () => {
        throw new Refusal('Sign in first.', {
          visit: [{ url: 'https://apiary.example/in', message: 'Sign in here:' }],
        })
      },
    }),
    tool('ask_model', {
      about: 'Asks the model.',
      effect: 'read',
      run: async (_, call) =>
        (await call.askModel({ messages: [{ role: 'user', content: 'Will it swarm?' }], maxTokens: 20 })).content,
    }),
    tool('ask_model_with_tools', {
      about: 'Asks the model, with a tool at hand.',
      effect: 'read',
      run: (_, call) =>
        call.askModel({
          messages: [{ role: 'user', content: 'How heavy is ML-04?' }],
          maxTokens: 20,
          tools: [{ name: 'weigh', inputSchema: { type: 'object' } }],
        }),
    }),
    tool('list_roots', { about: 'Lists the roots.', effect: 'read', run: (_, call) => call.roots() }),
  ],
})

export default kit
