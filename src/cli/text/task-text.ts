import type { Task } from '../../tasks/task.js'
import type { colours } from '../terminal/output.js'

/** `0b8f2c6e…  working  3 of 12, ML-03`. */
export function taskLine({ taskId, status, statusMessage }: Task, paint: typeof colours): string {
  const shown = status === 'failed' ? paint.red(status) : status === 'completed' ? paint.green(status) : status
  return [taskId, shown, ...(statusMessage ? [paint.dim(statusMessage)] : [])].join('  ')
}

/** All properties of a task, one per line. */
export function taskText({ taskId, status, statusMessage, createdAt, lastUpdatedAt, ttl }: Task): string {
  const facts: [string, string | undefined][] = [
    ['task', taskId],
    ['status', status],
    ['message', statusMessage],
    ['created', createdAt],
    ['updated', lastUpdatedAt],
    ['kept until', ttl === null ? 'the server ends' : untilText(createdAt, ttl)],
  ]
  return facts.flatMap(([name, value]) => (value ? [`${name.padEnd(11)} ${value}`] : [])).join('\n')
}

function untilText(createdAt: string, ttlMs: number): string {
  const until = new Date(Date.parse(createdAt) + ttlMs)
  return Number.isNaN(until.getTime()) ? 'unknown' : until.toISOString()
}
