import { call, type Requirement, refused, request, result } from '../requirement.js'

const time = { $matches: '^\\d{4}-\\d\\d-\\d\\dT\\d\\d:\\d\\d:\\d\\d(\\.\\d+)?(Z|[+-]\\d\\d:\\d\\d)$' }
const status = { $matches: '^(working|input_required|completed|failed|cancelled)$' }
const task = {
  taskId: { $is: 'string' },
  status,
  createdAt: time,
  lastUpdatedAt: time,
  ttl: { $oneOf: [{ $is: 'number' }, null] },
}
const related = { 'io.modelcontextprotocol/related-task': { taskId: '{{started.result.task.taskId}}' } }
const started = {
  expect: { jsonrpc: '2.0', id: '{{id}}', result: { task }, error: { $is: 'absent' } },
  as: 'started',
}
const ofStarted = { taskId: '{{started.result.task.taskId}}' }
const start = (more: object = {}) => [call('taskTool', { task: { ttl: 60_000, ...more } }), started] as const

/** Calls that run as tasks (Tasks, revision R4). */
export const taskRows: readonly Requirement[] = [
  {
    id: 'tasks/created',
    says: 'A call with a task returns the task at once: id, status, times and ttl.',
    section: 'Tasks: Creating Tasks',
    from: 'R4',
    needs: ['taskTool'],
    exchange: [...start()],
  },
  {
    id: 'tasks/result',
    says: 'tasks/result returns the result of the call, with the related task in _meta.',
    section: 'Tasks: Getting Task Results',
    from: 'R4',
    needs: ['taskTool'],
    exchange: [
      ...start(),
      request('tasks/result', ofStarted, 'second'),
      result({ content: { $is: 'array' }, _meta: related }, 'second'),
    ],
  },
  {
    id: 'tasks/get',
    says: 'tasks/get returns the task, whose status is terminal after its result was returned.',
    section: 'Tasks: Getting Tasks',
    from: 'R4',
    needs: ['taskTool'],
    exchange: [
      ...start(),
      request('tasks/result', ofStarted, 'second'),
      result({ content: { $is: 'array' } }, 'second'),
      request('tasks/get', ofStarted, 'third'),
      result({ ...task, ...ofStarted, status: { $matches: '^(completed|failed)$' } }, 'third'),
    ],
  },
  {
    id: 'tasks/cancel-over',
    says: 'Cancelling a finished task gets the error -32602.',
    section: 'Tasks: Cancelling Tasks',
    from: 'R4',
    needs: ['taskTool'],
    exchange: [
      ...start(),
      request('tasks/result', ofStarted, 'second'),
      result({ content: { $is: 'array' } }, 'second'),
      request('tasks/cancel', ofStarted, 'third'),
      refused(-32602, {}, 'third'),
    ],
  },
  ...['get', 'result', 'cancel'].map(
    (verb): Requirement => ({
      id: `tasks/unknown-${verb}`,
      says: `tasks/${verb} of an unknown task is refused with -32602.`,
      section: 'Tasks: Error Handling',
      from: 'R4',
      needs: ['taskTool'],
      exchange: [request(`tasks/${verb}`, { taskId: 'no-such-task' }), refused(-32602)],
    }),
  ),
  {
    id: 'tasks/not-for-this-tool',
    says: 'A task for a tool without task support gets the error -32601.',
    section: 'Tasks: Tool-Level Negotiation',
    from: 'R4',
    needs: ['taskTool', 'taskFreeTool'],
    exchange: [call('taskFreeTool', { task: {} }), refused(-32601)],
  },
  {
    id: 'tasks/required',
    says: 'A call without a task to a tool that requires one gets the error -32601.',
    section: 'Tasks: Tool-Level Negotiation',
    from: 'R4',
    needs: ['taskOnlyTool'],
    exchange: [call('taskOnlyTool'), refused(-32601)],
  },
  {
    id: 'tasks/ignored',
    says: 'A server that does not declare tasks handles a call with a task like any other call.',
    section: 'Tasks: Task Support and Handling',
    from: 'R4',
    needs: ['tool', 'taskFree'],
    exchange: [call('tool', { task: {} }), result({ content: { $is: 'array' } })],
  },
]
