import { Argument, Command } from 'commander'
import { kitErrors } from '../../kit/errors.js'
import type { Link } from '../../link/link.js'
import type { ToolResult } from '../../protocol/types.js'
import type { Task } from '../../tasks/task.js'
import { type TargetFlags, withLink, withTarget } from '../options/target-options.js'
import { colours, errorColours, Failed, out, outJson, say } from '../terminal/output.js'
import { blockText, resultText } from '../text/result-text.js'
import { taskLine, taskText } from '../text/task-text.js'
import { verbTexts } from '../text/verb-texts.js'

const actions = ['list', 'show', 'cancel', 'wait'] as const
type Action = (typeof actions)[number]

export const tasks = () =>
  withTarget(
    new Command('tasks')
      .description(verbTexts.tasks.about)
      .argument('<target>', 'URL, exec:<command line>, or <config file>#<entry>')
      .addArgument(new Argument('[action]', 'operation').choices(actions).default('list'))
      .argument('[id]', 'id of a task')
      .option('--json', 'print the result as JSON')
      .addHelpText(
        'after',
        `
list   the tasks of this caller
show   the progress of a task
wait   print the result when the task is over
cancel cancel a task

Example: jexo tasks https://hives.example/mcp
         jexo tasks https://hives.example/mcp wait 0b8f2c6e-8a3f-4c7b-9d53-6d1a1f0c6a11`,
      ),
  ).action(
    async (target: string, action: Action, id: string | undefined, flags: TargetFlags & { json?: boolean }) => {
      if (action !== 'list' && id === undefined)
        throw kitErrors.argumentUnreadable(
          `${action} without a task`,
          `the id of one, as jexo tasks ${target} lists them`,
        )
      if (action === 'wait')
        return printResult(await withLink(target, flags, (link) => waited(link, id ?? '')), flags)
      const found = await withLink(target, flags, (link) => look(link, action, id ?? ''))
      if (flags.json) return outJson(found)
      if (!Array.isArray(found)) return out(taskText(found))
      for (const task of found) out(taskLine(task, colours))
    },
  )

async function look(link: Link, action: Action, id: string): Promise<Task | Task[]> {
  if (action === 'show') return link.task(id).status()
  if (action === 'cancel') return link.task(id).cancel()
  const { tasks } = link.capabilities
  if (tasks === undefined) say('This server does not support tasks.')
  else if (tasks.list === undefined)
    say(
      'This server does not list tasks, since it cannot tell its callers apart. Use the id that jexo call --task printed.',
    )
  const found = await link.tasks()
  if (tasks?.list && found.length === 0) say('There are no tasks.')
  return found
}

/** Waits, with a line for each change. */
async function waited(link: Link, id: string): Promise<ToolResult> {
  const task = link.task(id)
  const stop = task.onStatus((now) => say(taskLine(now, errorColours)))
  try {
    return await task.result()
  } finally {
    stop()
  }
}

function printResult(result: ToolResult, { json }: { json?: boolean }): void {
  if (json) outJson(result)
  else if (result.isError)
    say(`${errorColours.red('the tool failed:')} ${result.content.map(blockText).join('\n')}`)
  else out(resultText(result))
  if (result.isError) throw new Failed()
}
