import { samplingFault } from '../../src/protocol/sampling.js'

const text = { type: 'text', text: 'x' }
const use = (id: string) => ({ type: 'tool_use', id, name: 'weigh', input: {} })
const result = (toolUseId: string) => ({ type: 'tool_result', toolUseId, content: [] })
const user = (...content: unknown[]) => ({ role: 'user', content })
const assistant = (...content: unknown[]) => ({ role: 'assistant', content })

test.each([
  ['no message', []],
  ['one block outside a list', [{ role: 'user', content: text }]],
  ['a tool use and its result', [user(text), assistant(text, use('1')), user(result('1')), assistant(text)]],
  ['two tool uses', [assistant(use('1'), use('2')), user(result('2'), result('1'))]],
])('messages are valid: %s', (_what, messages) => expect(samplingFault(messages)).toBeUndefined())

test.each([
  ['message 1 has no role user or assistant', [5]],
  ['message 1 has no role user or assistant', [{ role: 'system', content: text }]],
  ['message 1 has no content', [user()]],
  ['message 1 has no content', [user('x')]],
  ['message 1 has no content', [{ role: 'user' }]],
  ['message 2 has tool results, which only a user message may have', [assistant(use('1')), assistant(result('1'))]],
  ['message 2 mixes tool results with other content', [assistant(use('1')), user(result('1'), text)]],
  ['message 1 has tool results, but no tool use precedes it', [user(result('1'))]],
  [
    'message 2 must have one tool result for each tool use before it: 1, 2',
    [assistant(use('1'), use('2')), user(result('1'))],
  ],
  ['message 2 must have one tool result for each tool use before it: 1', [assistant(use('1')), user(text)]],
  ['message 2 must have one tool result for each tool use before it: 1', [assistant(use('1')), user(result('2'))]],
  [
    'message 2 must have one tool result for each tool use before it: 1',
    [assistant(use('1')), user(result('1'), result('1'))],
  ],
  ['tool use 1 has no result', [user(text), assistant(use('1'), 5, text)]],
])('%s', (fault, messages) => expect(samplingFault(messages)).toBe(fault))
