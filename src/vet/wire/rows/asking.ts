import { call, notification, type Requirement, refused, reply, request, result } from '../requirement.js'

const content = { content: { $is: 'array' } }
const failed = { isError: true, content: { $has: [{ type: 'text' }] } }
const form = { elicitation: { form: {} } }
const url = { elicitation: { form: {}, url: {} } }
const asked = (method: string, params: object) => ({
  expect: { jsonrpc: '2.0', id: { $is: 'present' }, method, params },
  as: 'question',
})
const flat = {
  type: 'object',
  properties: { $is: 'object' },
}

/** Checks of requests to the client: roots, sampling, elicitation (Client Features). */
export const askingRows: readonly Requirement[] = [
  {
    id: 'asking/form',
    says: 'A form request has a message and a flat schema, and the accepted values reach the tool.',
    section: 'Elicitation: Creating Elicitation Requests',
    from: 'R3',
    needs: ['formTool'],
    client: form,
    exchange: [
      call('formTool'),
      asked('elicitation/create', { message: { $is: 'string' }, requestedSchema: flat }),
      reply('question', { result: { action: 'accept', content: '{{formTool.content}}' } }),
      result(content),
    ],
  },
  {
    id: 'asking/form-mode-only-r4',
    says: 'Revision 2025-06-18 has no mode in an elicitation request.',
    section: 'Elicitation: Creating Elicitation Requests',
    from: 'R3',
    to: 'R3',
    needs: ['formTool'],
    client: form,
    exchange: [
      call('formTool'),
      asked('elicitation/create', { mode: { $is: 'absent' } }),
      reply('question', { result: { action: 'cancel' } }),
      result(content),
    ],
  },
  {
    id: 'asking/empty-capability-means-form',
    says: 'An empty elicitation capability means forms.',
    section: 'Elicitation: Capabilities',
    from: 'R3',
    needs: ['formTool'],
    client: { elicitation: {} },
    exchange: [
      call('formTool'),
      asked('elicitation/create', { requestedSchema: flat }),
      reply('question', { result: { action: 'decline' } }),
      result(content),
    ],
  },
  ...(['decline', 'cancel'] as const).map(
    (action): Requirement => ({
      id: `asking/${action}`,
      says: `The response ${action} reaches the tool, and the call ends with a result.`,
      section: 'Elicitation: Creating Elicitation Requests',
      from: 'R3',
      needs: ['formTool'],
      client: form,
      exchange: [
        call('formTool'),
        asked('elicitation/create', {}),
        reply('question', { result: { action } }),
        result(content),
      ],
    }),
  ),
  ...(
    [
      ['wrong-content', { result: { action: 'accept', content: { nothing: 'that was asked' } } }],
      ['unknown-action', { result: { action: 'perhaps' } }],
      ['no-action', { result: {} }],
      ['refused', { error: { code: -32603, message: 'No screen here.' } }],
    ] as const
  ).map(
    ([name, response]): Requirement => ({
      id: `asking/answer-${name}`,
      says: `An unusable response (${name.replaceAll('-', ' ')}) fails the call with an error that a model can read.`,
      section: 'Elicitation: Creating Elicitation Requests',
      from: 'R3',
      needs: ['formTool'],
      client: form,
      exchange: [
        call('formTool'),
        asked('elicitation/create', {}),
        reply('question', { ...response }),
        result(failed),
      ],
    }),
  ),
  {
    id: 'asking/undeclared-form',
    says: 'A client that did not declare elicitation gets no request; the result of the call says so.',
    section: 'Elicitation: Capabilities',
    needs: ['formTool'],
    exchange: [call('formTool'), result(failed), { never: { method: 'elicitation/create' } }],
  },
  {
    id: 'asking/undeclared-url',
    says: 'A client that declared forms only gets no URL request.',
    section: 'Elicitation: Capabilities',
    from: 'R3',
    needs: ['urlTool'],
    client: form,
    exchange: [call('urlTool'), result(failed), { never: { method: 'elicitation/create' } }],
  },
  {
    id: 'asking/url',
    says: 'A URL request has an id, a URL and a message, and a notification reports its completion.',
    section: 'Elicitation: URL Mode Elicitation Requests',
    from: 'R4',
    needs: ['urlTool'],
    client: url,
    exchange: [
      call('urlTool'),
      asked('elicitation/create', {
        mode: 'url',
        elicitationId: { $is: 'string' },
        url: { $matches: '^https?://' },
        message: { $is: 'string' },
        requestedSchema: { $is: 'absent' },
      }),
      reply('question', { result: { action: 'accept' } }),
      {
        expect: {
          method: 'notifications/elicitation/complete',
          params: { elicitationId: '{{question.params.elicitationId}}' },
        },
      },
      result(content),
    ],
  },
  {
    id: 'asking/url-required',
    says: 'A tool that requires a visit to a URL first returns the error -32042 with the URLs.',
    section: 'Elicitation: URL Mode Elicitation Requests',
    from: 'R4',
    needs: ['visitTool'],
    client: url,
    exchange: [
      call('visitTool'),
      refused(-32042, {
        data: {
          elicitations: {
            $each: { mode: 'url', elicitationId: { $is: 'string' }, url: { $matches: '^https?://' } },
          },
        },
      }),
    ],
  },
  {
    id: 'asking/url-required-undeclared',
    says: 'A client without URL support gets a failed result instead of -32042.',
    section: 'Elicitation: Capabilities',
    needs: ['visitTool'],
    exchange: [call('visitTool'), result(failed)],
  },
  {
    id: 'asking/sampling',
    says: 'A sampling request has messages and maxTokens, and the reply reaches the tool.',
    section: 'Sampling: Creating Messages',
    needs: ['samplingTool'],
    client: { sampling: {} },
    exchange: [
      call('samplingTool'),
      asked('sampling/createMessage', {
        messages: { $each: { role: { $matches: '^(user|assistant)$' }, content: { $is: 'present' } } },
        maxTokens: { $is: 'integer' },
      }),
      reply('question', {
        result: {
          role: 'assistant',
          content: { type: 'text', text: 'Yes.' },
          model: 'stand-in',
          stopReason: 'endTurn',
        },
      }),
      result({ ...content, isError: { $oneOf: [{ $is: 'absent' }, false] } }),
    ],
  },
  {
    id: 'asking/sampling-rejected',
    says: 'If the person rejects a sampling request (-1), the call fails.',
    section: 'Sampling: Creating Messages',
    needs: ['samplingTool'],
    client: { sampling: {} },
    exchange: [
      call('samplingTool'),
      asked('sampling/createMessage', {}),
      reply('question', { error: { code: -1, message: 'User rejected sampling request' } }),
      result(failed),
    ],
  },
  {
    id: 'asking/sampling-undeclared',
    says: 'A client that did not declare sampling gets no request; the result of the call says so.',
    section: 'Sampling: Capabilities',
    needs: ['samplingTool'],
    exchange: [call('samplingTool'), result(failed), { never: { method: 'sampling/createMessage' } }],
  },
  {
    id: 'asking/sampling-tools',
    says: 'A sampling request includes tools if the client declared sampling.tools.',
    section: 'Sampling: Creating Messages',
    from: 'R4',
    needs: ['samplingWithToolsTool'],
    client: { sampling: { tools: {} } },
    exchange: [
      call('samplingWithToolsTool'),
      asked('sampling/createMessage', {
        tools: { $each: { name: { $is: 'string' }, inputSchema: { type: 'object' } } },
      }),
      reply('question', {
        result: {
          role: 'assistant',
          content: [{ type: 'tool_use', id: 'u1', name: '{{question.params.tools.0.name}}', input: {} }],
          model: 'stand-in',
          stopReason: 'toolUse',
        },
      }),
      result(content),
    ],
  },
  {
    id: 'asking/sampling-tools-undeclared',
    says: 'Tools are not sent to a client that did not declare them.',
    section: 'Sampling: Capabilities',
    needs: ['samplingWithToolsTool'],
    client: { sampling: {} },
    exchange: [call('samplingWithToolsTool'), result(failed), { never: { method: 'sampling/createMessage' } }],
  },
  {
    id: 'asking/roots',
    says: 'The server requests the roots of a client that declared them.',
    section: 'Roots: Listing Roots',
    needs: ['rootsTool'],
    client: { roots: { listChanged: true } },
    exchange: [
      call('rootsTool'),
      { expect: { method: 'roots/list', id: { $is: 'present' } }, as: 'question' },
      reply('question', { result: { roots: [{ uri: 'file:///srv/apiary', name: 'apiary' }] } }),
      result(content),
    ],
  },
  {
    id: 'asking/roots-undeclared',
    says: 'A client without roots gets no roots request; the result of the call says so.',
    section: 'Roots: Capabilities',
    needs: ['rootsTool'],
    exchange: [call('rootsTool'), result(failed), { never: { method: 'roots/list' } }],
  },
  {
    id: 'asking/cancelled-with-its-call',
    says: 'Cancelling a call cancels its requests to the client.',
    section: 'Cancellation: Behavior Requirements',
    from: 'R3',
    needs: ['formTool'],
    client: form,
    exchange: [
      call('formTool'),
      asked('elicitation/create', {}),
      notification('notifications/cancelled', { requestId: '{{id}}' }),
      { expect: { method: 'notifications/cancelled', params: { requestId: '{{question.id}}' } } },
      { never: { id: '{{id}}', result: { $is: 'present' } } },
    ],
  },
  {
    id: 'asking/ping-meanwhile',
    says: 'Other requests are answered while a request to the client is open.',
    section: 'Ping: Behavior Requirements',
    from: 'R3',
    needs: ['formTool'],
    client: form,
    exchange: [
      call('formTool'),
      asked('elicitation/create', {}),
      request('ping', undefined, '{{id2}}'),
      result({}, '{{id2}}'),
      reply('question', { result: { action: 'cancel' } }),
      result(content),
    ],
  },
]
